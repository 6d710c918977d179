"""Distances of segments from triangles and meshes."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh.distance import segment_clearances, segment_triangle_distances
from lean_trellis.core.mesh.primitives import ball


@given(st.integers(0, 2**31))
def test_segment_triangle_distance_agrees_with_a_dense_sample(seed):
    rng = np.random.default_rng(seed)
    p, q = rng.uniform(-5, 5, (2, 3))
    corners = rng.uniform(-5, 5, (3, 3))
    found = segment_triangle_distances(p[None], q[None], corners[None])[0]
    u, v = np.meshgrid(np.linspace(0, 1, 60), np.linspace(0, 1, 60))
    inside = u + v <= 1
    on_triangle = corners[0] + u[inside, None] * (corners[1] - corners[0]) + v[inside, None] * (corners[2] - corners[0])
    on_segment = p + np.linspace(0, 1, 200)[:, None] * (q - p)
    sampled = np.sqrt(((on_triangle[:, None] - on_segment[None]) ** 2).sum(axis=2).min())
    assert found <= sampled + 1e-9
    assert sampled - found < 0.35


def test_clearances_of_many_segments_agree_with_all_pairs():
    rng = np.random.default_rng(3)
    mesh = ball(10, subdivisions=3)
    starts = rng.uniform(-14, 14, (40, 3))
    stops = starts - [0, 0, 6]
    search = np.full(40, 3.0)
    corners = np.broadcast_to(mesh.corners, (40, *mesh.corners.shape))
    every = [
        segment_triangle_distances(np.tile(a, (len(c), 1)), np.tile(b, (len(c), 1)), c).min()
        for a, b, c in zip(starts, stops, corners, strict=True)
    ]
    np.testing.assert_allclose(segment_clearances(mesh, starts, stops, search), np.minimum(every, 3.0), atol=1e-9)
