"""Jobs: edits, undo and redo, the build offset that stays, files that come back unchanged or not at all."""

from __future__ import annotations

import pytest

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError, UnknownNameError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.targets import pick_region


def test_edits_that_cannot_be_done_say_why_and_change_nothing(job):
    for make, words in (
        (lambda: edits.set_build_offset(job, ["part-1"], -1), "below the plate"),
        (lambda: edits.set_build_offset(job, ["part-1"], float("nan")), "no number"),
        (lambda: edits.set_layer_height(job, 5), "outside what Metal 260 makes"),
        (lambda: edits.set_angles(job, ["part-1"], 120, None), "no surface angle"),
        (lambda: edits.describe_part(job, "part-1", name="  "), "needs a name"),
    ):
        with pytest.raises(EditError, match=words):
            make()
    with pytest.raises(UnknownNameError):
        edits.move_part(job, "part-9", 0, 0)


def test_targets_are_remembered_on_the_part_through_turns(job, table):
    job = edits.add_bodies(job, [Body("table", table, len(table.faces))]).job
    part, pipeline = job.parts[-1], Pipeline()
    top = max(pipeline.overhangs(part, job).regions, key=lambda region: region.area_mm2)
    supported = edits.add_support(job, part.id, shipped_sets()["bars-metal"], (pick_region(top, part),)).job
    before = pipeline.bars(supported.supports[0], supported)
    turned = edits.move_part(edits.turn_part(supported, part.id, "z", 30).job, part.id, 100, 90).job
    after = pipeline.bars(turned.supports[0], turned)
    assert len(before) > 50
    assert after.contact_area_mm2 == pytest.approx(before.contact_area_mm2, rel=0.1)
    assert set(after.regions.tolist()) == {top.id}


def test_turning_one_part_does_not_derive_anothers_supports_again(job):
    for part in job.parts:
        job = edits.add_support(job, part.id, shipped_sets()["bars-metal"]).job
    job = edits.move_part(job, "part-2", 30, 30).job
    pipeline = Pipeline()
    before = [pipeline.bars(support, job) for support in job.supports]
    turned = edits.turn_part(job, "part-2", "y", 20).job
    after = [pipeline.bars(support, turned) for support in turned.supports]
    assert after[0] is before[0]
    assert after[1] is not before[1]


def test_a_place_is_at_the_part_whose_box_holds_it(job):
    part = job.part("part-1")
    low, high = part.bounds()
    middle = tuple(((low + high) / 2).tolist())
    assert job.part_at(middle) is part
    assert job.part_at((float(high[0]) + 0.9, *middle[1:])) is part
    assert job.part_at((middle[0], middle[1], float(high[2]) + 500.0)) is None
