"""What is wrong with walls."""

from __future__ import annotations

import pytest

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.sets import shipped_sets


def test_walls_that_end_at_a_level_want_something_to_stand_on(metal_job):
    job = edits.add_support(metal_job, "part-1", shipped_sets()["lattice-metal"]).job
    job = edits.change_values(job, "support-1", {"ends_on": "level", "level": 1.0}, "End higher").job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "walls_end_in_air"]
    assert len(found) == 1 and found[0].value > 50
    on_raft = edits.add_support(job, "part-1", shipped_sets()["raft-rectangle"]).job
    on_raft = edits.change_support(on_raft, "support-2", "thickness", 1.0).job
    assert "walls_end_in_air" not in {finding.code for finding in Pipeline().findings(on_raft)}
    cure = found[0].cures[0]
    cured = cure.change.edit(job, Pipeline()).job
    assert "walls_end_in_air" not in {finding.code for finding in Pipeline().findings(cured)}


@pytest.mark.parametrize("name", ["lattice-metal", "wall-line"])
def test_walls_without_a_region_are_none_and_that_is_said(metal_job, name):
    job = edits.set_build_offset(metal_job, ["part-1"], 0.0).job
    job = edits.add_support(job, "part-1", shipped_sets()[name]).job
    made = Pipeline().structure(job.supports[0], job)
    assert made.is_empty and made.volume_mm3 == 0 and not len(made.mesh.faces) and not len(made.holds)
    assert "support_empty" in {finding.code for finding in Pipeline().findings(job)}
