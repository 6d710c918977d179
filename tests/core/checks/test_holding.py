"""How far a surface may lie from what holds it: by its angle, as the material says."""

from __future__ import annotations

import pytest

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box


@pytest.mark.parametrize("angle", [0.0, 12.0, 27.0, 38.0])
def test_the_free_span_is_that_of_the_surfaces_own_angle(metal, angle):
    job = edits.add_bodies(new_job(*metal), [Body("plate", box((30, 30, 2)), 12)]).job
    job = edits.turn_part(job, "part-1", "x", angle).job
    span = job.material.free_span
    limits = {
        round(finding.limit, 6)
        for finding in Pipeline().findings(job)
        if finding.code == "region_not_held" and "low edge" not in finding.message
    }
    assert limits == {round(span.at(angle), 6)}
    assert span.at(angle) > span.at(0.0) or angle == 0
