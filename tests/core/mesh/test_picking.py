"""Faces picked by growing, brush, plane, kind and area."""

from __future__ import annotations

import numpy as np
import pytest
from any_parts import down

from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.picking import (
    alike,
    grown,
    in_plane,
    shrunk,
    smooth_patches,
    under_area,
    within_reach,
)
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold


def test_growing_and_shrinking_are_undone_by_each_other_inside():
    mesh = ball(10, subdivisions=4)
    topology = build_topology(mesh)
    start = within_reach(topology, 0, mesh.centroids[0], 4.0)
    larger = grown(topology, start)
    assert set(start) < set(larger)
    assert set(shrunk(topology, larger)) >= set(start)
    assert mesh.areas[start].sum() == pytest.approx(2 * np.pi * 10 * (16 / 20), rel=0.1)


def test_the_brush_stays_on_the_side_it_is_put_on():
    sheet = from_manifold(to_manifold(box((40, 40, 0.6))).refine(40))
    topology = build_topology(sheet)
    top = int(np.flatnonzero((sheet.normals[:, 2] > 0.9) & (np.abs(sheet.centroids[:, :2] - 20) < 0.6).all(axis=1))[0])
    painted = within_reach(topology, top, sheet.centroids[top], 5.0)
    assert (sheet.normals[painted, 2] > 0.9).all()
    assert sheet.areas[painted].sum() == pytest.approx(np.pi * 25, rel=0.1)


def test_faces_in_one_plane_and_of_one_kind_are_found():
    plate = to_manifold(box((60, 20, 5)))
    for x, radius in ((10, 2.0), (25, 2.0), (40, 2.0), (52, 3.0)):
        plate -= to_manifold(cylinder(radius, 20, sides=48)).translate((x, 10, -5))
    mesh = from_manifold(plate)
    topology = build_topology(mesh)
    walls = np.flatnonzero(np.hypot(mesh.centroids[:, 0] - 10, mesh.centroids[:, 1] - 10) < 2.01)
    wall = int(walls[np.abs(mesh.normals[walls, 2]) < 0.1][0])
    same = alike(topology, wall)
    found = {round(float(x) / 5) * 5 for x in mesh.centroids[same, 0]}
    assert found == {10, 25, 40}, "the three bores of one size, not the larger"
    assert mesh.areas[same].sum() == pytest.approx(3 * 48 * 2 * 2 * np.sin(np.pi / 48) * 5)
    bottom = in_plane(mesh, int(down(mesh)[0]))
    assert sorted(bottom.tolist()) == sorted(down(mesh).tolist())
    assert smooth_patches(topology).areas.sum() == pytest.approx(mesh.area)


def test_an_area_picks_what_looks_here_within_it():
    middles = np.array([[0, 0], [5, 5], [20, 5], [5, 8.0]])
    looks = np.array([True, True, True, False])
    square = np.array([[-1, -1], [10, -1], [10, 10], [-1, 10.0]])
    assert under_area(middles, looks, square).tolist() == [0, 1]
    assert under_area(middles, looks, square[:2]).tolist() == []
