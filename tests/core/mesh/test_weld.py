"""Equal places become one vertex."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh import Mesh, weld
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.weld import weld_corners


def test_weld_merges_equal_places_only_and_keeps_their_order():
    soup = box((1, 2, 3)).corners.astype(np.float32)
    mesh = weld_corners(soup)
    assert len(mesh.vertices) == 8
    np.testing.assert_array_equal(mesh.vertices[0], soup[0, 0])
    np.testing.assert_array_equal(mesh.corners, soup)
    apart = weld_corners(soup + np.array([0, 0, 0], np.float32) + np.arange(12)[:, None, None].astype(np.float32) * 9)
    assert len(apart.vertices) == 36


def test_weld_takes_minus_zero_for_zero():
    points = np.array([[[0.0, 0, 0], [1, 0, 0], [0, 1, 0]], [[-0.0, 0, 0], [0, 1, 0], [1, 0, 1]]], np.float32)
    assert len(weld_corners(points).vertices) == 4


@given(st.integers(0, 2**31))
def test_weld_agrees_with_trimesh_on_random_soup(seed):
    rng = np.random.default_rng(seed)
    soup = rng.integers(0, 3, (60, 3, 3)).astype(np.float32)
    ours = weld_corners(soup)
    theirs = len(np.unique(soup.reshape(-1, 3), axis=0))
    assert len(ours.vertices) == theirs
    np.testing.assert_array_equal(ours.corners, soup)


def test_weld_drops_vertices_that_no_face_uses():
    mesh = Mesh(np.vstack([box((1, 1, 1)).vertices, [[9, 9, 9]]]), box((1, 1, 1)).faces)
    assert len(weld(mesh).vertices) == 8
