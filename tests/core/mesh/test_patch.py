"""Smooth patches of a surface."""

from __future__ import annotations

import numpy as np
from any_parts import extents

from lean_trellis.core.job import edits
from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.patch import best_plane, coplanar_patch, plane_through, smooth_patch
from lean_trellis.core.mesh.primitives import ball, cylinder


def test_level_by_three_points_and_by_the_best_plane_of_a_patch(trio):
    job = trio
    job = edits.turn_part(edits.turn_part(job, "part-1", "x", 23).job, "part-1", "y", -14).job
    part = job.part("part-1")
    plane = plane_through(np.array([[0, 0, 5], [20, 0, 5], [0, 10, 5]]))
    levelled = edits.level(job, "part-1", plane).job.part("part-1")
    np.testing.assert_allclose(extents(levelled)[2], 5, atol=1e-9)
    face = int(np.flatnonzero(part.mesh.normals[:, 2] > 0.9)[0])
    patch = coplanar_patch(build_topology(part.mesh), face)
    assert len(patch) == 2
    again = edits.level(job, "part-1", best_plane(part.mesh, patch)).job.part("part-1")
    np.testing.assert_allclose(extents(again)[2], 5, atol=1e-9)
    assert plane_through(np.array([[0, 0, 0], [1, 1, 1], [2, 2, 2.0]])) is None


def test_a_smooth_patch_ends_at_a_sharp_edge():
    mesh = cylinder(5, 20, sides=60)
    topology = build_topology(mesh)
    side = int(np.flatnonzero(np.abs(mesh.normals[:, 2]) < 0.1)[0])
    patch = smooth_patch(topology, side)
    assert len(patch) == 120
    assert np.abs(mesh.normals[patch, 2]).max() < 1e-9
    dome = ball(20, subdivisions=3)
    cap = np.flatnonzero(dome.centroids[:, 2] > 15)
    plane = best_plane(dome, cap)
    np.testing.assert_allclose(np.abs(plane.normal), [0, 0, 1], atol=0.02)
    assert 0 < plane.worst_mm < 5
