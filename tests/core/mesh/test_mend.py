"""Faults are found where they are, and each mending step does what its name says and no more."""

from __future__ import annotations

import numpy as np
import pytest
from any_parts import moved
from broken_meshes import BROKEN, CUBE, faults_of, tube, turned_over, without
from hypothesis import given, settings
from hypothesis import strategies as st

from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.mend import CURES, STEPS, mend, mend_all, merge_near
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.mesh.topology import collapsed_faces


def test_a_cavity_is_neither_inward_nor_stray():
    hollow = join([box((60, 60, 60)), turned_over(moved(ball(0.5, subdivisions=1), 30, 30, 30))])
    assert faults_of(hollow) == {}
    assert mend(hollow, "turn").mesh.volume == pytest.approx(hollow.volume)
    assert mend(hollow, "stray").mesh.volume == pytest.approx(hollow.volume)
    assert mend(hollow, "unite").mesh.volume == pytest.approx(hollow.volume)


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


@pytest.mark.parametrize("step", list(STEPS))
@given(st.sets(st.integers(0, 79), max_size=6), st.booleans())
@settings(max_examples=10)
def test_a_step_done_twice_is_a_step_done_once(step, gone, is_turned):
    whole = ball(10, subdivisions=1)
    faces = whole.faces.copy()
    if is_turned:
        faces[:20] = faces[:20][:, ::-1]
    mesh = Mesh(whole.vertices, np.delete(faces, list(gone), axis=0))
    try:
        once = mend(mesh, step).mesh
    except EditError:
        assert step == "unite"
        return
    twice = mend(once, step).mesh
    assert twice.volume == pytest.approx(once.volume, rel=1e-9)
    assert len(twice.faces) == len(once.faces)
