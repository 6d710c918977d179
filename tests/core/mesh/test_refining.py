"""Faces parted where they are painted."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.mesh.refining import refined_near


@pytest.mark.parametrize("mesh", [box((40, 30, 6)), ball(10, subdivisions=2), cylinder(9, 30, sides=12)])
def test_faces_are_parted_near_a_brush_and_the_shape_stays(mesh):
    place = mesh.centroids[0][None]
    finer = refined_near(mesh, place, 2.0, 0.8)
    assert build_topology(finer.mesh).is_watertight
    assert finer.mesh.volume == pytest.approx(mesh.volume)
    assert finer.mesh.area == pytest.approx(mesh.area)
    np.testing.assert_allclose(finer.mesh.normals, mesh.normals[finer.parent], atol=1e-9)
    np.testing.assert_allclose(np.bincount(finer.parent, finer.mesh.areas), mesh.areas)
    near = np.linalg.norm(finer.mesh.centroids - place, axis=1) < 1.5
    corners = finer.mesh.corners[near]
    assert np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max() <= 0.8 + 1e-9


def test_nothing_is_parted_where_faces_are_small_or_far():
    mesh = ball(10, subdivisions=4)
    assert refined_near(mesh, np.array([[0, 0, 10.0]]), 2.0, 5.0).mesh is mesh
    assert refined_near(mesh, np.array([[0, 0, 99.0]]), 2.0, 0.1).mesh is mesh
