"""Parts in the way, the ground and its zones."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.supports.common.obstacle import (
    DOWN,
    Ground,
    Obstacle,
    clearances,
    is_inside,
    nearest_distances,
    nearest_hits,
)


def test_the_ground_ends_at_the_plate_round_or_not_but_not_along_a_belt(library):
    places = np.array([[60.0, 60], [0.4, 60], [118, 60], [60, 900]])
    flat, belt = Ground(library.machine("metal-120")), Ground(library.machine("belt-260"))
    assert flat.holds(places, 1.0).tolist() == [True, False, True, False]
    assert flat.is_beyond(places).tolist() == [False, False, False, True]
    corner = np.array([[2.0, 2.0]])
    assert not flat.holds(corner, 0.5)[0], "the corner of the square round a round plate"
    far = np.array([[130.0, 5000.0], [259.5, 10.0]])
    assert belt.holds(far, 1.0).tolist() == [True, False]


def test_nothing_stands_in_a_zone_nor_nearer_to_it_than_its_foot(library):
    ground = Ground(library.machine("metal-260"))
    feet = np.array([[5.0, 5], [10.8, 5], [11.2, 5]])
    assert ground.holds(feet, 1.0).tolist() == [False, False, True]


def test_what_is_inside_one_of_two_parts_is_told_protected_or_not():
    mesh = box((10, 10, 2))
    low, high = Pose(x=20, y=20, build_offset=3), Pose(x=20, y=20, build_offset=9)
    parts = [Obstacle(RayTree(mesh), pose, pose.applied(mesh), np.ones(12)) for pose in (low, high)]
    places = np.array([[20.0, 20, 1], [20, 20, 4], [20, 20, 7], [20, 20, 10], [20, 20, 12], [31, 20, 4]])
    assert is_inside(parts, places).tolist() == [False, True, False, True, False, False]
    assert is_inside([], places).tolist() == [False] * 6


def _some_parts():
    meshes = box((10, 10, 2)), ball(4, subdivisions=2), box((6, 3, 9))
    poses = Pose(x=20, y=20, build_offset=3), Pose(x=24, y=20, build_offset=9), Pose(x=60, y=20, build_offset=0)
    return [
        Obstacle(RayTree(mesh), pose, pose.applied(mesh)) for mesh, pose in zip(meshes, poses, strict=True)
    ]  # fmt: skip


@pytest.mark.parametrize("way", [DOWN, -DOWN, np.array([0.6, 0.0, -0.8])], ids=["down", "up", "aslant"])
def test_the_nearest_of_several_parts_is_met_wherever_rays_begin(way):
    parts, rng = _some_parts(), np.random.default_rng(3)
    begins = rng.uniform((10, 10, -2), (66, 30, 22), (400, 3))
    rims = [[15.0, 20, 9], [25, 25, 9], [63, 20, 12], [57.0, 18.5, 12]]  # just on the edges of boxes in plan
    begins = np.concatenate([begins, rims])
    each = [part.first_hits(begins, way) for part in parts]
    least = np.min([distance for distance, _ in each], axis=0)
    distance, normals = nearest_hits(parts, begins, way)
    np.testing.assert_array_equal(distance, least)
    np.testing.assert_array_equal(nearest_distances(parts, begins, way), least)
    assert np.isfinite(least).sum() > 20
    first = np.argmin([one for one, _ in each], axis=0)
    wanted = np.where(np.isfinite(least)[:, None], np.array([n for _, n in each])[first, np.arange(len(begins))], 0.0)
    np.testing.assert_array_equal(normals, wanted)
    many = np.tile(way, (len(begins), 1))
    np.testing.assert_array_equal(nearest_hits(parts, begins, many)[0], least)


def test_segments_far_from_a_part_are_as_far_as_is_searched_and_near_ones_as_alone():
    parts, rng = _some_parts(), np.random.default_rng(5)
    starts = rng.uniform((10, 10, -2), (66, 30, 22), (200, 3))
    stops = starts + rng.uniform(-4, 4, (200, 3))
    search = rng.uniform(0.5, 3.0, 200)
    away = clearances(parts, starts, stops, search)
    one_by_one = [clearances(parts, starts[[n]], stops[[n]], search[[n]])[0] for n in range(200)]
    np.testing.assert_array_equal(away, one_by_one)
    assert (away < search).any()
    assert (away == search).any()
