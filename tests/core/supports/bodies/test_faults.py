"""What is wrong with bodies."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lean_trellis.core.checks.families import check_families
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import ParameterError
from lean_trellis.core.job import edits
from lean_trellis.core.sets import shipped_sets


def test_a_raft_thicker_than_the_offset_is_a_stop_that_lifting_cures(metal_job):
    job = edits.add_support(metal_job, "part-1", shipped_sets()["raft-follow"]).job
    job = edits.change_support(job, "support-1", "thickness", 6.5).job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "raft_too_thick"]
    assert [(f.severity, f.value, f.limit) for f in found] == [("stop", 6.5, 5.0)]
    assert found[0].cures[0].change.offset == 6.5
    job = found[0].cures[0].change.edit(job, Pipeline()).job
    codes = {finding.code for finding in Pipeline().findings(job) if finding.part == "plate"}
    assert not codes & {"raft_too_thick", "in_the_air", "region_not_held"}


def test_walls_and_bodies_that_run_into_a_part_are_found(metal_job):
    job = edits.add_support(metal_job, "part-1", shipped_sets()["lattice-metal"]).job
    job = edits.add_support(job, "part-1", shipped_sets()["block-plain"]).job
    state = Pipeline().state(job)
    assert "support_through_part" not in {finding.code for finding in check_families(state)}
    pose = replace(job.part("part-1").pose, build_offset=3.0)
    sunk = job.with_part(replace(job.part("part-1"), pose=pose))
    lower = Pipeline().state(sunk)
    wrong = replace(state, job=sunk, parts=lower.parts)
    found = [finding.support_id for finding in check_families(wrong) if finding.code == "support_through_part"]
    assert sorted(found) == ["support-1", "support-2"]


@pytest.mark.parametrize(
    ("name", "key", "value", "words"),
    [
        ("wall-line", "bite_depth", 5.0, "deeper than the part is high"),
        ("cradle-posts", "post_tip", 3.0, "wider than the post"),
        ("cradle-posts", "post_pitch", 1.0, "as wide as they lie apart"),
        ("wall-flank", "ties_to", 2.0, "below the lowest"),
        ("wall-flank", "base_width", 0.5, "narrower than the wall"),
        ("raft-follow", "margin", -20.0, "leaves nothing"),
    ],
)
def test_nonsense_is_refused_in_words_when_it_is_made(metal_job, name, key, value, words):
    job = edits.set_build_offset(metal_job, ["part-1"], 8.0).job
    with pytest.raises(ParameterError, match=words):
        job = edits.add_support(job, "part-1", shipped_sets()[name]).job
        job = edits.change_support(job, "support-1", key, value).job
        Pipeline().structure(job.supports[0], job)


def test_a_cradles_plate_thicker_than_the_offset_is_a_stop(metal_job):
    job = edits.set_build_offset(metal_job, ["part-2"], 3.0).job
    job = edits.add_support(job, "part-2", shipped_sets()["cradle-posts"]).job
    job = edits.change_support(job, "support-1", "raft_thickness", 3.4).job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "raft_too_thick"]
    assert [(f.severity, f.limit) for f in found] == [("stop", 3.0)]
