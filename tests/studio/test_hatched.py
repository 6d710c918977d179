"""Hatch lines: on the faces they are meant for, above the surface, and in plan only where these look down."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF, FaceMarks
from lean_trellis.core.progress import UNWATCHED
from lean_trellis.studio.hatched import HATCH, HatchPicked


@pytest.fixture
def protected(metal):
    """A box of 10 x 12 x 4: its bottom is kept off, its top avoided."""
    mesh = box((10, 12, 4))
    levels = np.zeros(len(mesh.faces), np.int16)
    levels[mesh.normals[:, 2] < -0.9] = KEEP_OFF
    levels[mesh.normals[:, 2] > 0.9] = AVOID
    job = edits.add_bodies(new_job(*metal), [Body("box", mesh, len(mesh.faces))]).job
    (part,) = job.parts
    part = replace(part, marks=replace(part.marks, protected=FaceMarks(levels)))
    return replace(job, parts=(part,))


def test_lines_lie_above_their_faces_and_in_plan_are_those_that_look_down(protected):
    hatch = Pipeline().graph.get(HATCH, protected.parts[0], protected)
    bottom, top = (hatch.around[level][:, :, 2] for level in (KEEP_OFF, AVOID))
    z_low, z_high = protected.parts[0].mesh.bounds[:, 2]
    assert bottom.max() < z_low < z_high < top.min()
    # Lines 1.6 mm apart over 120 mm² are together as long as the area over the distance.
    steps = np.diff(hatch.around[KEEP_OFF], axis=1)[:, 0]
    apart = 1.6 / (np.sqrt(2) / np.sqrt(2 + 0.7**2))
    assert np.linalg.norm(steps, axis=1).sum() == pytest.approx(120 / apart, rel=0.06)
    assert len(hatch.below[KEEP_OFF]) > 8
    assert len(hatch.below[AVOID]) == 0


def test_turned_over_the_other_face_is_seen_from_below(protected):
    (part,) = protected.parts
    over = replace(part, pose=part.pose.turned(np.diag([1.0, -1.0, -1.0])))
    hatch = Pipeline().graph.get(HATCH, over, replace(protected, parts=(over,)))
    assert (len(hatch.below[KEEP_OFF]), len(hatch.below[AVOID]) > 8) == (0, True)


def test_of_selected_faces_those_that_look_down_are_drawn_upright_on_the_map(protected):
    (part,) = protected.parts
    down = np.flatnonzero(part.mesh.normals[:, 2] < -0.9)
    up = np.flatnonzero(part.mesh.normals[:, 2] > 0.9)
    lines = HatchPicked(part, down).answer(Pipeline(), UNWATCHED)
    assert np.abs(np.diff(lines, axis=1)[:, 0, 1]).max() < 1e-9
    assert np.linalg.norm(np.diff(lines, axis=1), axis=2).sum() == pytest.approx(120 / 0.6, rel=0.06)
    assert len(HatchPicked(part, up).answer(Pipeline(), UNWATCHED)) == 0
