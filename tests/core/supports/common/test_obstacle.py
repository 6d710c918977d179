"""Parts in the way, the ground and its zones."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.supports.common.obstacle import Ground, Obstacle, is_inside


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
