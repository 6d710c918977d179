"""Solids from rings: volumes against closed forms, closed and turned outward by other code."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.supports.common.solids import (
    faces_of_one,
    polygon_share,
    prisms,
    ring_solids,
    swept,
    swept_volumes,
)


def witness(mesh: Mesh) -> trimesh.Trimesh:
    solid = trimesh.Trimesh(mesh.vertices, mesh.faces, process=False)
    assert solid.is_watertight
    assert solid.is_winding_consistent
    return solid


def test_the_share_of_a_polygon_is_its_area_for_a_corner_radius_of_one():
    assert polygon_share(4) == pytest.approx(2.0)
    assert polygon_share(6) == pytest.approx(3 * np.sqrt(3) / 2)


@pytest.mark.parametrize("sides", [3, 6, 16])
def test_swept_solids_have_the_volume_of_their_frustums_also_where_they_lean(sides):
    heights, radii = np.array([0.0, 3.0, 7.0]), np.array([[2.0, 1.0, 1.0], [0.5, 0.5, 4.0]])
    centres = np.zeros((2, 3, 3))
    centres[:, :, 2] = heights
    centres[1, :, 0] = 10 + heights  # leaning by 45 degrees: level rings keep the volume
    area = sides / 2 * np.sin(2 * np.pi / sides)
    frustums = [
        area * (3 * (4 + 2 + 1) / 3 + 4 * 1),
        area * (3 * 0.25 + 4 * (0.25 + 2 + 16) / 3),
    ]
    assert swept_volumes(centres, radii, sides) == pytest.approx(frustums)
    mesh = swept(centres, radii, sides)
    assert len(mesh.faces) == 2 * faces_of_one(3, sides)
    assert witness(mesh).volume == pytest.approx(sum(frustums))


@pytest.mark.parametrize("stop", [(0, 0, 5), (3, 4, 0), (-1, 2, -2)])
def test_prisms_have_the_volume_of_their_section_times_their_length_whatever_way_they_go(stop):
    starts, stops = np.array([[1.0, 1, 1]]), np.array([[1.0, 1, 1]]) + stop
    mesh = prisms(starts, stops, np.array([0.7]), 6)
    solid = witness(mesh)
    assert solid.volume == pytest.approx(polygon_share(6) * 0.49 * float(np.linalg.norm(stop)))
    assert solid.centroid == pytest.approx((starts[0] + stops[0]) / 2)
    away = np.linalg.norm(np.cross(mesh.vertices - starts[0], np.array(stop) / np.linalg.norm(stop)), axis=1)
    assert away == pytest.approx(np.full(len(mesh.vertices), 0.7))


def test_no_rings_are_no_solid():
    nothing = ring_solids(np.zeros((0, 2, 6, 3)))
    assert (nothing.vertices.shape, nothing.faces.shape) == ((0, 3), (0, 3))
