"""Points on surfaces."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.common.surface_points import grid_basis, grid_points


def test_grid_points_lie_on_their_faces_and_are_given_once():
    mesh = box((10, 10, 2))
    bottom = np.flatnonzero(mesh.normals[:, 2] < -0.5)
    found = grid_points(mesh, bottom, grid_basis(1.0, "square"), np.zeros(2))
    assert len(found) == 11 * 11
    np.testing.assert_allclose(found.places[:, 2], 0)
    wall = np.flatnonzero(np.abs(mesh.normals[:, 2]) < 0.5)
    assert len(grid_points(mesh, wall, grid_basis(1.0, "square"), np.array([0.5, 0.5]))) == 0
