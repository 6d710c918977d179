"""Two supports of one family on one region are found, and either can be deleted."""

from __future__ import annotations

import pytest

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.progress import UNWATCHED
from lean_trellis.core.sets import shipped_sets


def found(job):
    return [finding for finding in Pipeline().findings(job) if finding.code == "supported_twice"]


@pytest.fixture
def job(metal):
    """Two slabs above the plate, the first one supported by bars."""
    bodies = [Body(name, box((20, 12, 4)), 12) for name in ("one", "two")]
    made = edits.add_bodies(new_job(*metal), bodies).job
    made = edits.set_build_offset(made, ["part-1", "part-2"], 6.0).job
    return edits.add_support(made, "part-1", shipped_sets()["bars-metal"]).job


def test_one_support_or_one_of_each_family_is_fine(job):
    assert found(job) == []
    assert found(edits.add_support(job, "part-1", shipped_sets()["lattice-metal"]).job) == []
    assert found(edits.add_support(job, "part-1", shipped_sets()["raft-follow"]).job) == []


def test_the_same_on_another_part_is_fine(job):
    assert found(edits.add_support(job, "part-2", shipped_sets()["bars-metal"]).job) == []


@pytest.mark.parametrize("name", ["bars-metal", "bars-metal-braced"])
def test_a_second_one_of_the_family_is_a_caution_with_two_cures(job, name):
    twice = edits.add_support(job, "part-1", shipped_sets()[name]).job
    (finding,) = found(twice)
    assert (finding.severity, finding.value, finding.limit) == ("caution", 1.0, 0.0)
    assert finding.support_id == "support-2"
    assert finding.at_mm[2] == pytest.approx(6.0, abs=0.2)
    left = [cure.change.edit(twice, Pipeline(), UNWATCHED).job.supports for cure in finding.cures]
    assert [[support.id for support in supports] for supports in left] == [["support-1"], ["support-2"]]


def test_without_a_region_in_common_they_are_fine(job):
    far = edits.add_support(job, "part-1", shipped_sets()["bars-metal"], ()).job
    assert found(far) == []
