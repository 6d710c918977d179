"""Distances of segments from triangles and meshes."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh.distance import (
    corner_clearances,
    group_clearances,
    segment_clearances,
    segment_triangle_distances,
)
from lean_trellis.core.mesh.mesh import Mesh
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


def test_groups_of_segments_are_as_each_segment_alone():
    mesh, rng = ball(5, subdivisions=2), np.random.default_rng(5)
    starts = rng.uniform(-6, 6, (30, 1, 3)) + rng.uniform(-1, 1, (30, 12, 3))
    stops = starts + rng.uniform(-0.5, 0.5, starts.shape)
    search = np.full(30 * 12, 1.5)
    alone = segment_clearances(mesh, starts.reshape(-1, 3), stops.reshape(-1, 3), search)
    together = group_clearances(mesh, starts, stops, 1.5)
    np.testing.assert_allclose(together.reshape(-1), alone)
    assert 20 < (together < 1.5).sum() < 340
    assert group_clearances(mesh, starts[:0], stops[:0], 1.5).shape == (0, 12)


def test_a_triangle_above_a_tip_is_as_far_as_that_though_its_edges_are_farther():
    tip = Mesh(np.array([[0.0, 0, 0], [0.1, -0.1, -2], [0.1, 0.1, -2], [-0.1, 0, -2]]),
               np.array([[0, 1, 2], [0, 2, 3], [0, 3, 1], [1, 3, 2]]))  # fmt: skip
    flat = np.array([[[[-3.0, -3, 0.25], [3, -3, 0.25], [0, 4, 0.25]]]])
    assert corner_clearances(tip, flat, 1.0) == pytest.approx(0.25)
    assert corner_clearances(tip, flat, 0.2) == pytest.approx(0.2)
    assert group_clearances(tip, flat[:, :, 0], flat[:, :, 1], 1.0) == pytest.approx(1.0)
