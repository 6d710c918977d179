"""Meshes: weld, topology, health; against closed forms, trimesh and awkward inputs."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh import Mesh, build_topology, examine, weld
from lean_trellis.core.mesh.distance import segment_clearances, segment_triangle_distances
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box, cylinder, revolution
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.weld import weld_corners
from lean_trellis.core.mesh.winding import contains_point


def test_box_has_the_volume_and_area_of_a_box():
    health = examine_mesh(box((2, 3, 4)))
    assert health.volume_mm3 == pytest.approx(24)
    assert health.area_mm2 == pytest.approx(52)
    assert (health.triangles, health.vertices, health.shells) == (12, 8, 1)
    assert health.is_sound


def test_ball_comes_near_the_closed_form_and_lies_inside_it():
    mesh = ball(10, subdivisions=5)
    assert mesh.volume == pytest.approx(4 / 3 * np.pi * 1000, rel=2e-3)
    assert mesh.volume < 4 / 3 * np.pi * 1000
    assert mesh.area == pytest.approx(4 * np.pi * 100, rel=2e-3)


def test_cone_and_ring_have_the_volumes_of_their_polygons():
    share = 64 / 2 * np.sin(2 * np.pi / 64)
    assert cylinder(3, 7, top_radius=0).volume == pytest.approx(share * 9 * 7 / 3)
    ring = revolution(np.array([[2, 0], [3, 0], [3, 1], [2, 1.0]]))
    assert ring.volume == pytest.approx(96 / 2 * np.sin(2 * np.pi / 96) * 5)


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


def test_awkward_meshes_are_examined_without_fail_and_as_trimesh_sees_them(awkward):
    health = examine(build_topology(awkward))
    assert health.triangles == len(awkward.faces)
    if len(awkward.faces) and not health.degenerate_faces:
        witness = trimesh.Trimesh(awkward.vertices, awkward.faces, process=False)
        assert health.watertight == witness.is_watertight
        assert health.area_mm2 == pytest.approx(witness.area)


def test_defects_are_counted():
    cube = box((10, 10, 10))
    assert examine_mesh(Mesh(cube.vertices, cube.faces[1:])).open_edges == 3
    assert examine_mesh(Mesh(cube.vertices, np.vstack([cube.faces, cube.faces[:2]]))).duplicate_faces == 2
    turned = Mesh(cube.vertices, np.vstack([cube.faces[:1, ::-1], cube.faces[1:]]))
    assert examine_mesh(turned).misoriented_edges == 3
    flat = Mesh(np.vstack([cube.vertices, [[5, 0, 0]]]), np.vstack([cube.faces, [[0, 0, 1]]]))
    assert examine_mesh(flat).degenerate_faces == 1
    assert examine_mesh(flat).watertight  # a collapsed face takes no part in the edges


def test_a_cavity_is_no_inward_shell_but_a_lone_turned_shell_is():
    outer, inner = ball(5, subdivisions=2), ball(2, subdivisions=2)
    cavity = join([outer, Mesh(inner.vertices, inner.faces[:, ::-1])])
    assert examine_mesh(cavity).inward_shells == 0
    assert examine_mesh(cavity).volume_mm3 == pytest.approx(outer.volume - inner.volume)
    assert examine_mesh(Mesh(inner.vertices, inner.faces[:, ::-1])).inward_shells == 1
    beside = join([outer, Mesh(inner.vertices + 20, inner.faces[:, ::-1])])
    assert examine_mesh(beside).inward_shells == 1


def test_shells_are_counted_and_two_that_share_an_edge_are_told_from_one():
    apart = join([box((1, 1, 1)), box((1, 1, 1), corner=(5, 0, 0))])
    assert build_topology(apart).shells == 2
    touching = weld(join([box((1, 1, 1)), box((1, 1, 1), corner=(1, 1, 0))]))
    assert examine_mesh(touching).non_manifold_edges == 1


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


def test_rays_hit_what_geometry_says_even_far_from_zero():
    for shift in (0, 1e5):
        mesh = box((10, 10, 10), corner=(shift, 0, 5))
        hits = RayTree(mesh).first_hits(
            np.array([[shift + 2, 3, 0], [shift + 20, 3, 0], [shift + 2, 3, 10.0]]), np.array([[0, 0, 1.0]])
        )
        np.testing.assert_allclose(hits.distance, [5, np.inf, 5], rtol=1e-5)
        assert (hits.face >= 0).tolist() == [True, False, True]


def test_rays_at_nothing_hit_nothing():
    empty = Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))
    assert np.isinf(RayTree(empty).first_hits(np.zeros((2, 3)), np.array([[0, 0, 1.0]])).distance).all()


def test_winding_tells_inside_from_outside():
    corners = ball(5, subdivisions=2).corners
    assert contains_point(corners, np.array([1.0, 1, 1]))
    assert not contains_point(corners, np.array([6.0, 0, 0]))


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


def test_areas_of_some_faces_are_those_of_all():
    mesh = ball(7.3, subdivisions=2)
    faces = np.array([5, 0, 17, 5])
    np.testing.assert_allclose(mesh.areas_of(faces), mesh.areas[faces])
    assert len(mesh.areas_of(np.zeros(0, np.int64))) == 0
