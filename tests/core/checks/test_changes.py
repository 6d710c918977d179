"""Cures that would add a support which reaches nothing say so and change nothing."""

from __future__ import annotations

import pytest

from lean_trellis.core.checks import Cure, changes
from lean_trellis.core.checks.changes import AllAlike, SetOffset, SetValue, SupportRegions, cure_of_all
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError, TrellisError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.sets import shipped_sets


@pytest.fixture
def narrow(metal):
    """A block with a slot of 1 mm under its roof: no bar finds its way into it."""
    block = to_manifold(box((30, 30, 20), corner=(0, 0, 0))) - to_manifold(box((28, 40, 1), corner=(1, -5, 10)))
    mesh = from_manifold(block)
    job = edits.add_bodies(new_job(*metal), [Body("slotted", mesh, len(mesh.faces))]).job
    return edits.set_build_offset(job, ["part-1"], 0).job


def test_a_region_that_nothing_reaches_is_not_supported_by_nothing(narrow):
    pipeline = Pipeline()
    regions = pipeline.overhangs(narrow.part("part-1"), narrow).regions
    (ceiling,) = [region for region in regions if region.kind == "face"]
    elsewhere = edits.add_support(narrow, "part-1", shipped_sets()["bars-metal"], ()).job
    for job in (narrow, elsewhere):
        with pytest.raises(EditError, match=r"no support reaches it.*; turn the part"):
            SupportRegions("part-1", (ceiling.id,)).edit(job, pipeline)


def test_what_only_writes_values_is_done_at_once_and_what_makes_supports_beside_the_window():
    slow = {"SupportRegions", "MoveMissed"}
    kinds = [kind for kind in vars(changes).values() if isinstance(kind, type) and hasattr(kind, "edit")]
    own = [kind for kind in kinds if kind.__module__ == changes.__name__ and kind is not AllAlike]
    assert len(own) > 10
    assert {kind.__name__ for kind in own if not kind.is_quick} == slow


def test_where_it_is_reached_the_set_in_use_is_added(metal):
    pipeline = Pipeline()
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((20, 20, 4)), 12)]).job
    made = SupportRegions("part-1", (0,)).edit(job, pipeline).job
    assert [support.set_name for support in made.supports] == ["bars-metal"]
    braced = edits.add_support(job, "part-1", shipped_sets()["bars-metal-braced"], ()).job
    made = SupportRegions("part-1").edit(braced, pipeline).job
    assert [support.set_name for support in made.supports] == ["bars-metal-braced"] * 2
    with pytest.raises(EditError, match="too close to another bar; delete what stands there"):
        SupportRegions("part-1").edit(made, pipeline)


@pytest.fixture
def two_slabs(metal):
    """Two slabs in the air, neither supported."""
    bodies = [Body(name, box((20, 20, 4)), 12) for name in ("one", "two")]
    return edits.add_bodies(new_job(*metal), bodies).job


def test_one_cure_for_all_findings_of_a_cause_does_each_of_them(two_slabs):
    pipeline = Pipeline()
    findings = [f for f in pipeline.findings(two_slabs) if f.code == "region_not_held"]
    assert {f.part_id for f in findings} == {"part-1", "part-2"}
    cure = next(cure for cure in findings[0].cures if cure.change is not None)
    whole = cure_of_all(cure, findings[0], findings)
    assert whole.words.startswith("All 2: ")
    made = whole.change.edit(two_slabs, pipeline)
    assert made.title == whole.words
    assert {support.part_id for support in made.job.supports} == {"part-1", "part-2"}
    assert not [f for f in pipeline.findings(made.job) if f.code == "region_not_held"]
    assert cure_of_all(cure, findings[0], findings[:1]) is None, "alone there is nothing to gather"
    assert cure_of_all(Cure("Look", about="parts"), findings[0], findings) is None


def test_of_all_alike_what_cannot_be_done_is_passed_over_and_nothing_at_all_is_refused(two_slabs):
    gone = SetOffset("part-9", 3.0)
    made = AllAlike("All", (SetOffset("part-1", 3.0), gone, SetOffset("part-2", 4.0))).edit(two_slabs, Pipeline()).job
    assert [part.pose.build_offset for part in made.parts] == [3.0, 4.0]
    with pytest.raises(TrellisError):
        AllAlike("All", (gone, gone)).edit(two_slabs, Pipeline())
    assert AllAlike("All", (gone,)).is_quick


def test_a_foot_is_widened_with_its_shaft_where_it_would_be_narrower(metal):
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((20, 20, 4)), 12)]).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    before = job.supports[0].parameters
    thin = SetValue("support-1", "shaft_diameter", before.foot_diameter - 0.1).edit(job, Pipeline()).job.supports[0]
    assert thin.parameters.foot_diameter == before.foot_diameter
    wide = SetValue("support-1", "shaft_diameter", before.foot_diameter + 0.5).edit(job, Pipeline()).job.supports[0]
    assert wide.parameters.shaft_diameter == before.foot_diameter + 0.5
    spare = before.foot_diameter - before.shaft_diameter
    assert wide.parameters.foot_diameter == pytest.approx(wide.parameters.shaft_diameter + spare, abs=1e-3)
