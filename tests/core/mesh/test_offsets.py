"""The offset of a mesh as heights: closed forms under planes and balls, what is beside, and what is in the way."""

from __future__ import annotations

import numpy as np
import pytest
from sloping_parts import signed_distances, slab

from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.mesh.offsets import offset_heights
from lean_trellis.core.mesh.primitives import ball, box

GRID = np.stack(np.meshgrid(np.linspace(-1, 1, 5), np.linspace(-1, 1, 5)), axis=-1).reshape(1, -1, 2)
REACH = np.array([4.0])


def under(mesh: Mesh, guess, distance: float, *, from_below: bool = True):
    heights = np.broadcast_to(guess, GRID.shape[:2])
    return offset_heights(mesh, GRID, heights, np.array([distance]), REACH, from_below=from_below)


@pytest.mark.parametrize("slope", [0.0, 20.0, 45.0, 60.0])
@pytest.mark.parametrize("from_below", [False, True])
def test_off_a_plane_the_way_along_z_is_the_distance_over_the_cosine(slope, from_below):
    mesh, turn = slab(slope)
    level = mesh.bounds[0 if from_below else 1, 2]
    middle = np.append(mesh.bounds.mean(axis=0)[:2], level)  # of the underside, or of the top
    raised = Mesh((mesh.vertices - middle) @ turn.T + [0, 0, 20], mesh.faces)
    steep = np.tan(np.radians(slope))
    plane = 20 + GRID[..., 0] * steep
    found = under(raised, plane + 0.05, 0.3, from_below=from_below)
    np.testing.assert_allclose(found.surface, plane, atol=1e-9)
    sign = -1 if from_below else 1
    np.testing.assert_allclose(found.offset, plane + sign * 0.3 / np.cos(np.radians(slope)), atol=1e-9)
    np.testing.assert_allclose(found.slopes[..., 0], steep, atol=1e-9)
    np.testing.assert_allclose(found.steep, np.hypot(1, steep), atol=1e-9)
    assert found.over.all()


@pytest.mark.parametrize(("from_below", "distance"), [(True, 0.2), (True, 1.5), (False, 0.12)])
def test_off_a_ball_every_place_is_the_distance_away(from_below, distance):
    mesh = ball(10, subdivisions=4)
    guess = np.sqrt(100 - (GRID**2).sum(axis=2)) * (-1 if from_below else 1)
    found = under(mesh, guess, distance, from_below=from_below)
    places = np.column_stack([GRID[0], found.offset[0]])
    away = signed_distances(mesh, places)
    np.testing.assert_allclose(away, distance, atol=1e-6)
    assert np.abs(found.surface - guess).max() < 0.02


def test_round_an_edge_the_offset_is_round_and_beside_the_mesh_it_is_what_was_guessed():
    mesh = box((1.0, 6.0, 3.0), corner=(-0.5, -3, 5))
    found = under(mesh, 5.0, 0.3)
    x = GRID[0, :, 0]
    over = np.abs(x) <= 0.5
    np.testing.assert_allclose(found.offset[0, over], 4.7, atol=1e-9)
    np.testing.assert_array_equal(found.over[0], over)
    np.testing.assert_allclose(found.offset[0, ~over], 5.0, atol=1e-9)  # half a millimetre aside: farther than asked
    near = under(mesh, 5.0, 0.6).offset[0, ~over]
    np.testing.assert_allclose(near, 5 - np.sqrt(0.36 - 0.25), atol=1e-9)


def test_a_wall_that_hangs_beside_is_gone_round_and_a_floor_too_near_as_well():
    roof = box((6, 6, 1), corner=(-3, -3, 10))
    wall = box((0.4, 6, 2.5), corner=(0.1, -3, 7.5))
    found = under(join([roof, wall]), 10.0, 0.3)
    beside = np.abs(GRID[0, :, 0]) < 1e-9
    np.testing.assert_allclose(found.offset[0, beside], 7.5 - np.sqrt(0.09 - 0.01), atol=1e-9)
    assert found.offset[0, ~beside & (GRID[0, :, 0] < 0)] == pytest.approx(9.7)
    floor = box((6, 6, 0.4), corner=(-3, -3, 9.1))
    assert under(join([roof, floor]), 10.0, 0.3).offset == pytest.approx(8.8)
    assert under(join([roof, floor]), 10.0, 0.2).offset == pytest.approx(9.8)


def test_of_two_surfaces_the_one_nearest_the_guess_counts_and_nothing_is_nothing():
    plates = join([box((6, 6, 1), corner=(-3, -3, 10)), box((6, 6, 1), corner=(-3, -3, 6))])
    assert under(plates, 9.8, 0.1).surface == pytest.approx(10)
    assert under(plates, 6.4, 0.1).surface == pytest.approx(6)
    empty = under(Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32)), 5.0, 0.3)
    assert empty.offset == pytest.approx(5.0)
    assert not empty.over.any()
    none = offset_heights(plates, np.zeros((0, 3, 2)), np.zeros((0, 3)), np.zeros(0), np.zeros(0), from_below=True)
    assert none.offset.shape == (0, 3)


def test_from_the_guess_the_way_begins_there_on_whichever_side_of_the_surface_it_is():
    plate, at = box((6, 6, 1), corner=(-3, -3, 10)), np.zeros((1, 5, 2))
    guess = np.array([[9.5, 9.8, 10.1, 10.5, 11.05]])
    found = offset_heights(plate, at, guess, np.array([0.3]), REACH, from_below=True, from_guess=True)
    np.testing.assert_allclose(found.offset, [[9.5, 9.7, 9.7, 10.5, 10.7]])  # where nothing is near it stays
    snapped = offset_heights(plate, at, guess, np.array([0.3]), REACH, from_below=True)
    np.testing.assert_allclose(snapped.offset, 9.7)


def test_many_groups_are_as_each_alone():
    mesh = ball(10, subdivisions=5)
    rng = np.random.default_rng(2)
    places = rng.uniform(-4, 4, (60, 1, 2)) + rng.uniform(-0.3, 0.3, (60, 9, 2))
    guess = -np.sqrt(100 - (places**2).sum(axis=2))
    reach, distance = np.full(60, 2.0), rng.uniform(0.05, 0.4, 60)
    together = offset_heights(mesh, places, guess, distance, reach, from_below=True)
    for number in (0, 17, 59):
        one = slice(number, number + 1)
        alone = offset_heights(mesh, places[one], guess[one], distance[one], reach[one], from_below=True)
        np.testing.assert_array_equal(alone.offset[0], together.offset[number])
