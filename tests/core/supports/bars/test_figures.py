"""Loads and strength of bars against closed forms."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from bar_requests import bars_for

from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.overhang import detect
from lean_trellis.core.parts import Pose
from lean_trellis.core.strength.capacity import bending_stresses, buckling_loads, second_moments, slenderness
from lean_trellis.core.strength.hold_loads import lift_loads, peel_stresses
from lean_trellis.core.supports.bars.figures import BENDING, BUCKLING, TIP, BarStrength, bar_figures


def placed(mesh, lift):
    return Pose(x=0, y=0, build_offset=lift).applied(mesh)


def test_sections_of_polygons_reach_those_of_a_circle_and_a_square():
    radii = np.array([1.0, 2.0])
    np.testing.assert_allclose(second_moments(radii, 4000), np.pi * radii**4 / 4, rtol=1e-5)
    side = np.sqrt(2) * radii
    np.testing.assert_allclose(second_moments(radii, 4), side**4 / 12)


def test_buckling_bending_and_slenderness_are_the_textbook_s():
    radius, length, inertia = np.array([1.0]), np.array([50.0]), np.pi / 4
    assert buckling_loads(radius, length, 4000, 2000.0)[0] == pytest.approx(np.pi**2 * 2000 * inertia / 2500, rel=1e-4)
    assert bending_stresses(np.array([3.0]), length, radius, 4000)[0] == pytest.approx(150 / inertia, rel=1e-4)
    assert slenderness(length, radius, 4000)[0] == pytest.approx(50 / 0.5, rel=1e-4)
    assert np.isinf(buckling_loads(radius, np.zeros(1), 8, 2000.0)[0])


def test_the_peel_of_a_block_is_shared_by_the_area_of_its_holds():
    block = placed(box((20, 10, 8)), 5)
    holds = np.array([[-5, 0, 5], [5, 0, 5], [0, 2, 5.0]])
    areas = np.array([1.0, 1.0, 2.0])
    np.testing.assert_allclose(peel_stresses(block, holds, areas, 0.0, 0.01), 0.01 * 200 / 4)


def test_what_lies_on_the_plate_is_held_by_it():
    block = placed(box((20, 10, 8)), 0)
    alone = peel_stresses(block, np.array([[0, 0, 0.0]]), np.array([1.0]), 0.0, 0.01)
    resting = peel_stresses(block, np.array([[0, 0, 0.0]]), np.array([1.0]), 199.0, 0.01)
    assert (alone[0], resting[0]) == (pytest.approx(2.0), pytest.approx(0.01))


def test_pieces_that_hang_apart_are_held_apart_until_they_meet():
    """Two legs of unlike area, joined by a plate from height 15: before that each leg hangs on its own hold."""
    solid = to_manifold(box((4, 4, 10), corner=(0, 0, 0))) + to_manifold(box((2, 2, 10), corner=(20, 0, 0)))
    whole = from_manifold(solid + to_manifold(box((24, 4, 2), corner=(0, 0, 9))))
    mesh = Mesh(whole.vertices + [0, 0, 5], whole.faces)
    holds = np.array([[2, 2, 5.0], [21, 1, 5.0]])
    stresses = peel_stresses(mesh, holds, np.ones(2), 0.0, 0.01)
    np.testing.assert_allclose(stresses, 0.01 * 24 * 4 / 2, err_msg="the plate above both is what pulls most")
    legs = from_manifold(solid)
    apart = peel_stresses(Mesh(legs.vertices + [0, 0, 5], legs.faces), holds, np.ones(2), 0.0, 0.01)
    np.testing.assert_allclose(apart, [0.01 * 16, 0.01 * 4])


def test_an_open_mesh_counts_as_one_piece():
    whole = placed(box((20, 10, 8)), 5)
    open_mesh = type(whole)(whole.vertices, whole.faces[whole.normals[:, 2] < 0.5])
    found = peel_stresses(open_mesh, np.array([[0, 0, 5.0]]), np.array([2.0]), 0.0, 0.01)
    assert found[0] == pytest.approx(1.0)


def test_thermal_lift_goes_to_the_nearest_hold_and_all_of_the_rim_counts():
    mesh = box((30, 10, 4))
    found = detect(build_topology(mesh), placed(mesh, 6), critical_angle=45)
    holds = np.array([[-10, 0, 6], [10, 0, 6.0]])
    loads = lift_loads(found.rim, holds, np.zeros(2, np.int32), 14.0)
    np.testing.assert_allclose(loads, 14 * 80 / 2)
    assert lift_loads(found.rim, holds, np.full(2, 7, np.int32), 14.0).tolist() == [0, 0]


def test_a_bar_is_used_by_what_it_bears_least():
    bars = bars_for(box((1, 1, 2)), lift=40.0, spacing=20.0, sides=32)
    assert len(bars) == 1
    for strength, load, by in (
        (BarStrength(10.0, 1e9), 1.0, TIP),
        (BarStrength(1e9, 10.0), 1.0, BUCKLING),
        (BarStrength(1e3, 1e9, push_n=1.0), 0.0, BENDING),
    ):
        found = bar_figures(bars, np.array([load]), strength, presses=True)
        assert found.used_by[0] == by
    tip = 32 / 2 * np.sin(2 * np.pi / 32) * 0.25**2
    assert bar_figures(bars, np.array([1.0]), BarStrength(10.0, 1e9), presses=False).used[0] == pytest.approx(0.1 / tip)


def test_twice_the_load_is_twice_used_and_braces_make_it_less():
    options = {"lift": 60.0, "spacing": 4.0, "lean_limit": 40.0, "free_length": 18.0}
    strength = BarStrength(50.0, 900.0, push_n_per_mm=0.2)
    alone = bars_for(box((24, 18, 3)), **options)
    braced = bars_for(box((24, 18, 3)), brace="x", **options)
    loads = np.full(len(alone), 0.4)
    one = bar_figures(alone, loads, strength, presses=True)
    other = bar_figures(braced, loads, strength, presses=True)
    assert other.used.max() < 0.5 * one.used.max()
    assert other.slenderness.max() < 0.5 * one.slenderness.max()
    calm = replace(strength, push_n_per_mm=0.0)
    doubled = bar_figures(alone, 2 * loads, calm, presses=True)
    np.testing.assert_allclose(doubled.used, 2 * bar_figures(alone, loads, calm, presses=True).used)
    assert doubled.worst[0] == doubled.used.argmax()


def test_a_bar_on_a_trunk_counts_with_what_is_below_it():
    bars = bars_for(box((24, 18, 3)), lift=60.0, spacing=4.0, join="on", contacts_per_trunk=12)
    found = bar_figures(bars, np.full(len(bars), 0.5), BarStrength(80.0, 900.0), presses=True)
    joined = bars.trunk >= 0
    assert (found.used[joined] >= found.trunk_used[bars.trunk[joined]] - 1e-12).all()
    heavy = bars.trunks.contacts.argmax()
    assert found.trunk_used[heavy] > 0
