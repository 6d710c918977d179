"""Rays against meshes."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.rays import RayTree


def test_rays_hit_what_geometry_says_even_far_from_zero():
    for shift in (0, 1e5):
        mesh = box((10, 10, 10), corner=(shift, 0, 5))
        hits = RayTree(mesh).first_hits(
            np.array([[shift + 2, 3, 0], [shift + 20, 3, 0], [shift + 2, 3, 10.0]]), np.array([[0, 0, 1.0]])
        )
        np.testing.assert_allclose(hits.distance, [5, np.inf, 5], rtol=1e-5)
        assert (hits.face >= 0).tolist() == [True, False, True]


def test_rays_at_nothing_hit_nothing():
    empty = Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))
    assert np.isinf(RayTree(empty).first_hits(np.zeros((2, 3)), np.array([[0, 0, 1.0]])).distance).all()
