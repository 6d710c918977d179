"""Cuts through meshes: areas by closed forms, rings of hollow and overlapping solids, open surfaces."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from manifold3d import Manifold

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box, from_manifold
from lean_trellis.core.mesh.slicing import slice_of


@pytest.mark.parametrize(("axis", "area"), [(0, 14 * 6), (1, 20 * 6), (2, 20 * 14)])
def test_a_box_is_cut_in_a_rectangle_that_looks_along_the_axis(axis, area):
    mesh = box((20, 14, 6))
    middle = float(mesh.bounds.mean(axis=0)[axis])
    cut = slice_of(mesh, axis, middle)
    assert cut.area_mm2 == pytest.approx(area)
    np.testing.assert_allclose(cut.face.normals[:, axis], 1.0)
    np.testing.assert_allclose(cut.face.vertices[:, axis], middle)
    np.testing.assert_allclose(cut.lines[..., axis], middle)
    rim = np.linalg.norm(np.diff(cut.lines, axis=1)[:, 0], axis=1).sum()
    sides = np.delete([20.0, 14, 6], axis)
    assert rim == pytest.approx(2 * sides.sum())


@given(st.floats(-9.5, 9.5), st.integers(0, 2))
def test_a_ball_is_cut_in_circles(place, axis):
    cut = slice_of(ball(10, subdivisions=4), axis, place)
    assert cut.area_mm2 == pytest.approx(np.pi * (100 - place**2), rel=0.02)


def test_a_hollow_is_left_empty_and_what_lies_in_one_another_counts_once():
    tube = Manifold.cylinder(10, 8.0, circular_segments=256) - Manifold.cylinder(12, 5.0, circular_segments=256)
    assert slice_of(from_manifold(tube), 2, 4.0).area_mm2 == pytest.approx(np.pi * 39, rel=1e-3)
    assert slice_of(from_manifold(tube), 0, 0.0).area_mm2 == pytest.approx(2 * 3 * 10)
    beside = Mesh(box((4, 4, 4)).vertices + [2.0, 0, 0], box((4, 4, 4)).faces)
    assert slice_of(join([box((4, 4, 4)), beside]), 2, box((4, 4, 4)).bounds.mean(axis=0)[2]).area_mm2 == pytest.approx(
        24
    )


def test_a_plane_through_vertices_cuts_as_just_below_them_and_beside_the_mesh_nothing():
    mesh = box((4, 4, 4))
    low, high = mesh.bounds[:, 2]
    assert slice_of(mesh, 2, float(low)).area_mm2 == 0.0
    assert slice_of(mesh, 2, float(high)).area_mm2 == pytest.approx(16.0)
    assert len(slice_of(mesh, 2, float(high) + 1).lines) == 0


def test_an_open_surface_has_lines_and_is_not_filled():
    mesh = box((4, 4, 4))
    sideways = np.flatnonzero(mesh.normals[:, 0] < 0.9)
    cut = slice_of(Mesh(mesh.vertices, mesh.faces[sideways]), 2, float(mesh.bounds.mean(axis=0)[2]))
    assert len(cut.face.faces) == 0
    assert np.linalg.norm(np.diff(cut.lines, axis=1)[:, 0], axis=1).sum() == pytest.approx(12.0)
