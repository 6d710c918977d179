"""Faults of a mesh with their places."""

from __future__ import annotations

import numpy as np
import pytest
from any_parts import moved
from broken_meshes import BROKEN, CUBE, faults_of, tube
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.faults import crossing_faces, find_faults, stray_shells
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.mesh.rays import RayTree


@pytest.mark.parametrize("kind", list(BROKEN))
def test_each_fault_is_found_with_places_on_the_mesh(kind):
    mesh = BROKEN[kind]
    found = faults_of(mesh)
    assert kind in found
    assert found[kind].count > 0
    low, high = mesh.bounds
    assert len(found[kind].places) > 0
    assert ((found[kind].places >= low - 1e-9) & (found[kind].places <= high + 1e-9)).all()


@pytest.mark.parametrize("mesh", [CUBE, tube(), ball(5, subdivisions=3), join([CUBE, moved(CUBE, 40, 0, 0)])])
def test_sound_meshes_have_no_faults(mesh):
    assert faults_of(mesh) == {}


@pytest.mark.parametrize(("wall", "is_thin"), [(0.3, True), (0.5, False)])
def test_walls_thinner_than_the_process_makes_are_found(wall, is_thin):
    plate = box((20, 20, wall))
    assert ("thin" in faults_of(plate, least_wall=0.4)) == is_thin


@given(st.sets(st.integers(0, 319), min_size=1, max_size=40))
def test_open_edges_are_counted_as_their_definition_says(gone):
    whole = ball(10, subdivisions=2)
    kept = np.setdiff1d(np.arange(320), list(gone))
    mesh = whole.with_faces(kept)
    edges = np.sort(np.stack([mesh.faces, np.roll(mesh.faces, -1, axis=1)], axis=-1).reshape(-1, 2), axis=1)
    once = int((np.unique(edges, axis=0, return_counts=True)[1] == 1).sum())
    found = {fault.kind: fault.count for fault in find_faults(build_topology(mesh), RayTree(mesh))}
    assert found.get("open", 0) == once == examine_mesh(mesh).open_edges


@given(st.tuples(*[st.floats(-14, 14)] * 3))
def test_boxes_cross_exactly_where_their_surfaces_do(shift):
    one, other = box((10, 10, 10)), moved(box((10, 10, 10)), *shift)
    mesh = join([one, other])
    overlap = 10 - np.abs(shift)
    clearly_apart = (overlap < -0.01).any()
    clearly_crossing = (overlap > 0.3).all() and (np.abs(shift) > 0.3).any()
    found = crossing_faces(build_topology(mesh), RayTree(mesh))
    if clearly_apart:
        assert len(found) == 0
    elif clearly_crossing and (np.abs(shift) > 0.3).all():
        assert len(found) > 0


def test_crumbs_are_stray_and_equals_are_not():
    crumbs = [moved(ball(0.4, subdivisions=1), 30 + 3 * n, 0, 0) for n in range(5)]
    assert len(stray_shells(build_topology(join([ball(20, subdivisions=3), *crumbs])))) == 5
    twins = join([box((10, 10, 10)), moved(box((10, 10, 10)), 40, 0, 0)])
    assert len(stray_shells(build_topology(twins))) == 0
