"""Faults are found where they are, and each mending step does what its name says and no more."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh import Mesh, build_topology
from lean_trellis.core.mesh.faults import find_faults
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.holes import close_holes
from lean_trellis.core.mesh.mend import CURES, STEPS, mend, mend_all, merge_near
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import collapsed_faces

CUBE = box((10, 10, 10))


def moved(mesh, *shift):
    return Mesh(mesh.vertices + np.array(shift), mesh.faces)


def turned_over(mesh):
    return Mesh(mesh.vertices, mesh.faces[:, ::-1])


def tube():
    return from_manifold(to_manifold(cylinder(10, 20)) - to_manifold(moved(cylinder(6, 30), 0, 0, -5)))


def without(mesh, faces):
    return mesh.with_faces(np.setdiff1d(np.arange(len(mesh.faces)), faces))


BROKEN = {
    "open": without(ball(10, subdivisions=2), [3, 40, 77]),
    "crowded": Mesh(np.vstack([CUBE.vertices, [[5, 5, 30]]]),
                    np.vstack([CUBE.faces, [[*CUBE.faces[0][:2], 8]]]).astype(np.int32)),
    "disagreeing": Mesh(CUBE.vertices, np.vstack([CUBE.faces[:2][:, ::-1], CUBE.faces[2:]])),
    "inward": join([CUBE, turned_over(moved(CUBE, 30, 0, 0))]),
    "stray": join([ball(20, subdivisions=3), moved(ball(0.4, subdivisions=1), 30, 0, 0)]),
    "doubled": Mesh(CUBE.vertices, np.vstack([CUBE.faces, CUBE.faces[:1]])),
    "crossing": join([CUBE, moved(CUBE, 5, 5, 5)]),
}  # fmt: skip


def faults_of(mesh, **options):
    return {fault.kind: fault for fault in find_faults(build_topology(mesh), RayTree(mesh), **options)}


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


def test_a_cavity_is_neither_inward_nor_stray():
    hollow = join([box((60, 60, 60)), turned_over(moved(ball(0.5, subdivisions=1), 30, 30, 30))])
    assert faults_of(hollow) == {}
    assert mend(hollow, "turn").mesh.volume == pytest.approx(hollow.volume)
    assert mend(hollow, "stray").mesh.volume == pytest.approx(hollow.volume)
    assert mend(hollow, "unite").mesh.volume == pytest.approx(hollow.volume)


@pytest.mark.parametrize(("wall", "is_thin"), [(0.3, True), (0.5, False)])
def test_walls_thinner_than_the_process_makes_are_found(wall, is_thin):
    plate = box((20, 20, wall))
    assert ("thin" in faults_of(plate, least_wall=0.4)) == is_thin


def test_every_fault_that_can_be_mended_names_its_step():
    assert set(CURES.values()) <= set(STEPS)
    assert set(BROKEN) <= set(CURES)


@pytest.mark.parametrize("kind", ["open", "disagreeing", "inward", "stray", "doubled"])
def test_the_step_that_is_named_cures_the_fault(kind):
    mended = mend(BROKEN[kind], CURES[kind])
    assert kind not in faults_of(mended.mesh)
    assert mended.after.is_sound
    assert mended.before != mended.after


def test_overlapping_shells_become_one_solid():
    mended = mend(BROKEN["crossing"], "unite")
    assert mended.mesh.volume == pytest.approx(2000 - 125)
    assert mended.after.shells == 1
    assert mended.asks  # 6 % less volume
    with pytest.raises(EditError):
        mend(BROKEN["open"], "unite")


@given(st.sets(st.integers(0, 319), min_size=1, max_size=60))
def test_holes_of_a_ball_are_closed_with_nearly_its_volume(gone):
    whole = ball(10, subdivisions=2)
    closed = close_holes(without(whole, list(gone)))
    health = examine_mesh(closed)
    assert health.open_edges == 0
    assert not health.misoriented_edges
    if len(gone) < 8:
        assert closed.volume == pytest.approx(whole.volume, rel=0.05)


def test_a_ring_shaped_hole_stays_a_ring():
    whole = tube()
    top = np.flatnonzero(whole.normals[:, 2] > 0.9)
    closed = close_holes(without(whole, top))
    assert examine_mesh(closed).is_sound
    assert closed.volume == pytest.approx(whole.volume, rel=1e-9)


def test_a_box_without_its_top_is_closed_exactly():
    top = np.flatnonzero(CUBE.normals[:, 2] > 0.9)
    mended = mend(without(CUBE, top), "holes")
    assert mended.mesh.volume == pytest.approx(1000)
    assert mended.after.is_sound


def test_two_holes_that_meet_in_a_corner_are_both_closed():
    corner = ball(10, subdivisions=2)
    at = np.flatnonzero((corner.faces == 0).any(axis=1))
    closed = close_holes(without(corner, [at[0], at[2]]))
    assert examine_mesh(closed).open_edges == 0


def test_near_vertices_become_one_and_no_further_ones_do():
    soup = Mesh(CUBE.corners.reshape(-1, 3) + np.random.default_rng(1).uniform(-1e-3, 1e-3, (36, 3)),
                np.arange(36).reshape(-1, 3))  # fmt: skip
    assert len(merge_near(soup, 0.01).vertices) == 8
    assert examine_mesh(merge_near(soup, 0.01)).is_sound
    assert len(merge_near(soup, 1e-7).vertices) == 36


def test_faces_back_to_back_bound_nothing_and_go():
    flap = Mesh(np.vstack([CUBE.vertices, [[20, 0, 0], [20, 5, 0], [25, 0, 0]]]),
                np.vstack([CUBE.faces, [[8, 9, 10], [8, 10, 9]]]))  # fmt: skip
    assert len(mend(flap, "useless").mesh.faces) == 12


def test_mending_all_of_it_leaves_a_sound_mesh():
    whole = ball(20, subdivisions=3)
    faces = whole.faces.copy()
    faces[100:160] = faces[100:160][:, ::-1]
    broken = without(Mesh(whole.vertices, np.vstack([faces, faces[:3]])), [200, 201, 700])
    broken = join([broken, moved(ball(0.3, subdivisions=1), 40, 0, 0)])
    mended = mend_all(broken)
    assert mended.after.is_sound
    assert mended.after.shells == 1
    assert mended.mesh.volume == pytest.approx(whole.volume, rel=0.01)
    assert "close holes" in mended.title
    again = mend_all(mended.mesh)
    assert again.mesh is mended.mesh


@pytest.mark.parametrize("step", list(STEPS))
def test_no_step_breaks_what_is_sound(step):
    mended = mend(tube(), step)
    assert mended.after.is_sound
    assert mended.mesh.volume == pytest.approx(tube().volume, rel=1e-9)
    assert not mended.asks
    assert not collapsed_faces(mended.mesh).any()
