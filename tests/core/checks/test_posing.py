"""Poses outside the material's range: each part is looked at, compact ones and those within it are passed over."""

from __future__ import annotations

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
