"""Thickness, bores and circles measured."""

from __future__ import annotations

import numpy as np
import pytest
from manifold3d import Manifold

from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.measuring import bore_at, circle_through, wall_at
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import rotation_about


def test_a_wall_and_a_circle_are_measured():
    plate = box((20, 20, 1.7))
    top = int(np.flatnonzero(plate.normals[:, 2] > 0.9)[0])
    assert wall_at(plate, RayTree(plate), top, np.array([5.0, 6.0, 1.7])) == pytest.approx(1.7, abs=1e-4)
    turn = np.radians([10, 140, 260])
    points = np.column_stack([3 + 4 * np.cos(turn), 5 + 4 * np.sin(turn), np.full(3, 7.0)])
    circle = circle_through(points)
    np.testing.assert_allclose(circle.middle, [3, 5, 7], atol=1e-9)
    assert circle.radius == pytest.approx(4)
    assert np.abs(circle.normal[2]) == pytest.approx(1)
    assert circle_through(np.array([[0, 0, 0], [1, 1, 1], [3, 3, 3.0]])) is None


def plate_with_bore(radius=4.0, sides=40):
    """A plate with a bore and a chamfer of 45 degrees at its mouth."""
    plate = to_manifold(box((30, 30, 10), corner=(-15, -15, 0)))
    hole = to_manifold(cylinder(radius, 30, sides=sides)).translate((0, 0, -10))
    mouth = Manifold.cylinder(2, radius - 1, radius + 1, sides).translate((0, 0, 9))
    return from_manifold(plate - hole - mouth)


@pytest.mark.parametrize("turned", [0, 37])
def test_a_bore_is_fitted_its_chamfer_left_out(turned):
    mesh = plate_with_bore()
    mesh = mesh.moved(rotation_about("x", turned), np.array([5.0, 6, 7]))
    topology = build_topology(mesh)
    axis = rotation_about("x", turned) @ [0, 0, 1]
    walls = np.flatnonzero(np.abs(mesh.normals @ axis) < 1e-6)
    inside = np.linalg.norm(np.cross(mesh.centroids[walls] - [5, 6, 7], axis), axis=1) < 5
    found = bore_at(topology, int(walls[inside][0]))
    assert found.radius == pytest.approx(4, abs=1e-6)
    assert found.is_hollow
    assert abs(found.axis @ axis) == pytest.approx(1)
    assert np.linalg.norm(np.cross(found.middle - [5, 6, 7], axis)) < 1e-6
    assert bore_at(topology, int(walls[~inside][0])) is None, "a flat side"


def test_a_pin_is_no_bore_and_a_ball_is_neither():
    pin = cylinder(3, 8, sides=32)
    wall = int(np.flatnonzero(np.abs(pin.normals[:, 2]) < 1e-9)[0])
    found = bore_at(build_topology(pin), wall)
    assert not found.is_hollow
    assert found.radius == pytest.approx(3)
    assert bore_at(build_topology(ball(5)), 17) is None
