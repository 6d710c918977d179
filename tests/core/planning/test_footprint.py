"""Footprints on a raster."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import union_all
from shapely.geometry import Polygon

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import cylinder
from lean_trellis.core.planning.footprint import covered_places, footprint_of


@given(st.lists(st.tuples(*[st.floats(0, 30)] * 6), min_size=1, max_size=6))
@settings(max_examples=15)
def test_a_footprint_covers_what_shapely_says(triangles):
    corners = np.array(triangles).reshape(-1, 3, 2)
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    corners = corners[np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]) > 10]
    if not len(corners):
        return
    vertices = np.concatenate([corners.reshape(-1, 2), np.zeros((3 * len(corners), 1))], axis=1)
    mesh = Mesh(vertices, np.arange(3 * len(corners)).reshape(-1, 3).astype(np.int32))
    shape = union_all([Polygon(triangle) for triangle in corners])
    places = covered_places(mesh, 0.2)
    assert len(places) * 0.04 == pytest.approx(shape.area, abs=0.25 * shape.length + 1)
    footprint = footprint_of(places, places.mean(axis=0), 0.0, 0.4, 1.0)
    assert footprint.area >= shape.area
    assert footprint.area <= shape.buffer(2.2).area


def test_a_footprint_has_the_area_of_the_shape():
    disc = cylinder(10, 5, sides=200)
    cells = footprint_of(covered_places(disc, 0.2), disc.middle[:2], 30.0, 0.4, 0.0)
    assert cells.area == pytest.approx(np.pi * 100, rel=0.08)
    wide = footprint_of(covered_places(disc, 0.2), disc.middle[:2], 0.0, 0.4, 3.0)
    assert wide.area == pytest.approx(np.pi * 13**2, rel=0.08)
