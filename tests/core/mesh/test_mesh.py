"""Meshes: weld, topology, health; against closed forms, trimesh and awkward inputs."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box


@given(st.floats(-180, 180), st.floats(-50, 50), st.floats(-50, 50))
def test_moving_changes_no_area_and_no_volume(angle, x, y):
    mesh = ball(7, subdivisions=2)
    c, s = np.cos(np.radians(angle)), np.sin(np.radians(angle))
    moved = mesh.moved(np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]), np.array([x, y, 3]))
    measured_anew = Mesh(moved.vertices, moved.faces)
    assert measured_anew.area == pytest.approx(mesh.area)
    assert moved.volume == pytest.approx(mesh.volume)
    np.testing.assert_allclose(moved.normals, measured_anew.normals, atol=1e-12)
    np.testing.assert_allclose(moved.areas, measured_anew.areas)


def test_meshes_are_read_only_and_know_themselves_by_content():
    mesh = box((1, 2, 3))
    with pytest.raises(ValueError, match="read-only"):
        mesh.vertices[0, 0] = 9
    assert mesh.key == box((1, 2, 3)).key
    assert mesh.key != box((1, 2, 3.001)).key


def test_areas_of_some_faces_are_those_of_all():
    mesh = ball(7.3, subdivisions=2)
    faces = np.array([5, 0, 17, 5])
    np.testing.assert_allclose(mesh.areas_of(faces), mesh.areas[faces])
    assert len(mesh.areas_of(np.zeros(0, np.int64))) == 0


def test_vertex_normals_of_a_ball_look_away_from_its_middle():
    mesh = ball(5, subdivisions=3)
    away = mesh.vertices / np.linalg.norm(mesh.vertices, axis=1, keepdims=True)
    assert np.einsum("ij,ij->i", mesh.vertex_normals, away).min() > 0.999
    assert (Mesh(np.zeros((1, 3)), np.zeros((0, 3), np.int32)).vertex_normals == 0).all()
