"""Poses outside the material's range: each part is looked at, compact ones and those within it are passed over."""

from __future__ import annotations

import pytest
from checked_parts import job_of

from lean_trellis.core.checks.posing import check_posing
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.parts.tilt import tilt_of


def test_parts_after_one_that_is_fine_are_looked_at_as_well(metal):
    bodies = [Body("ball", ball(6), 1280), Body("within", box((40, 8, 8)), 12), Body("flat", box((40, 8, 8)), 12)]
    job = edits.add_bodies(new_job(*metal), bodies).job
    job = edits.stand_at(job, "part-2", tilt_of(job.part("part-2")), 50.0).job
    found = list(check_posing(Pipeline().state(job)))
    assert [finding.part_id for finding in found] == ["part-3"]
    assert (found[0].value, found[0].limit) == (0.0, 30.0)


@pytest.mark.parametrize(
    ("angle", "is_found"),
    [(0, True), (29, True), (31, False), (74, False), (80, True), (84, True), (86, False), (90, False)],
)
def test_a_pose_outside_the_materials_range_is_a_caution_with_its_angle(metal, angle, is_found):
    job = edits.turn_part(job_of(metal, box((40, 30, 3))), "part-1", "x", angle).job
    found = [f for f in Pipeline().findings(job) if f.code == "pose_out_of_range"]
    assert bool(found) == is_found
    if found:
        assert found[0].severity == "caution"
        assert found[0].value == pytest.approx(angle, abs=0.01)
        assert found[0].limit == (30 if angle < 30 else 75)


def test_a_compact_part_has_no_angle_that_matters(metal):
    assert not [f for f in Pipeline().findings(job_of(metal, ball(8))) if f.code == "pose_out_of_range"]


@pytest.mark.parametrize(("size", "is_found"), [((12, 14, 13), False), ((12, 15, 19), False), ((12, 15, 20), True)])
def test_a_part_is_compact_up_to_lengths_of_eight_to_five(metal, size, is_found):
    found = [f for f in Pipeline().findings(job_of(metal, box(size))) if f.code == "pose_out_of_range"]
    assert bool(found) == is_found
