"""Regions as floors: what lies above one another is parted, and protected faces are left out."""

from __future__ import annotations

import numpy as np
import pytest
from panel_requests import request_for

from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.common.floors import _apart, _near, floors_of


def at(mesh: Mesh, x: float, y: float, z: float) -> Mesh:
    return Mesh(mesh.vertices + [x, y, z], mesh.faces)


def two_shelves() -> Mesh:
    """A shelf of 10 by 10 below one of 20 by 10: the upper is half hidden from below."""
    lower, upper = at(box((10, 10, 1)), 0, 0, 5), at(box((20, 10, 1)), 0, 0, 20)
    return Mesh(np.concatenate([lower.vertices, upper.vertices]), np.concatenate([lower.faces, upper.faces + 8]))


def test_what_is_hidden_from_below_is_another_floor():
    mesh = two_shelves()
    down = np.flatnonzero(mesh.normals[:, 2] < -0.5)
    lower, upper = _apart(mesh, down)
    assert sorted(mesh.centroids_of(lower)[:, 2]) == [5, 5, 20]
    assert mesh.centroids_of(upper)[:, 2].tolist() == [20]
    assert sorted([*lower, *upper]) == sorted(down)


def test_a_plain_region_is_one_floor_with_its_outline():
    request = request_for(box((12, 8, 3)), None)
    (floor,) = floors_of(request.overhangs, request.chosen[0])
    assert floor.outline.area == pytest.approx(96)
    heights, faces = floor.surface_at(np.array([[0.0, 0.0], [50.0, 0.0]]))
    assert heights[0] == pytest.approx(8.0)
    assert np.isnan(heights[1]) and faces[1] == -1
    assert floor.inside(1.0).area == pytest.approx(10 * 6, rel=1e-6)


def test_protected_faces_belong_to_no_floor():
    request = request_for(box((12, 8, 3)), None)
    region = request.chosen[0]
    faces = np.flatnonzero(request.overhangs.region_of_face == region)
    protected = np.zeros(len(request.overhangs.mesh.faces), np.uint8)
    protected[faces[0]] = 1
    (floor,) = floors_of(request.overhangs, region, protected)
    assert set(floor.faces.tolist()) == set(faces[1:].tolist())
    assert floor.outline.area == pytest.approx(48)
    protected[faces] = 1
    assert floors_of(request.overhangs, region, protected) == []


def test_of_rims_in_space_those_at_a_floor_are_its_own_in_plan():
    mesh = two_shelves()
    lower = np.flatnonzero((mesh.normals[:, 2] < -0.5) & (mesh.centroids[:, 2] < 10))
    corners = mesh.vertices[np.unique(mesh.faces[lower])]
    a, b, c = corners[0], corners[1], mesh.vertices[-1]
    near = _near(np.array([[a, b], [a, c], [c, c]]), mesh, lower)
    np.testing.assert_array_equal(near, [[a[:2], b[:2]]])
    assert _near(np.zeros((0, 2, 3)), mesh, lower).shape == (0, 2, 2)
