"""Targets found again."""

from __future__ import annotations

import pytest
from checked_parts import job_of

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import RegionPick
from lean_trellis.core.supports.common.targets import pick_region, resolve_target


def test_a_target_of_everything_means_every_region(pair):
    found = Pipeline().overhangs(pair.parts[1], pair)
    assert resolve_target(None, pair.parts[1], found) == tuple(range(len(found.regions)))


def test_a_selected_region_is_found_again_on_the_turned_and_moved_part(metal, table):
    job, pipeline = job_of(metal, table), Pipeline()
    found = pipeline.overhangs(job.parts[0], job)
    for region in found.regions:
        pick = pick_region(region, job.parts[0])
        moved = edits.move_part(edits.turn_part(job, "part-1", "z", 77).job, "part-1", 60, 70).job
        again = pipeline.overhangs(moved.parts[0], moved)
        (number,) = resolve_target((pick,), moved.parts[0], again)
        assert again.regions[number].area_mm2 == pytest.approx(region.area_mm2)
        assert again.regions[number].kind == region.kind


def test_a_region_that_is_no_longer_there_is_not_replaced_by_another(metal):
    job, pipeline = job_of(metal, box((20, 20, 5))), Pipeline()
    pick = pick_region(pipeline.overhangs(job.parts[0], job).regions[0], job.parts[0])
    over = edits.turn_part(job, "part-1", "x", 180).job
    assert resolve_target((pick,), over.parts[0], pipeline.overhangs(over.parts[0], over)) == ()
    stranger = RegionPick("point", (0.0, 0.0, 0.0))
    assert resolve_target((stranger,), job.parts[0], pipeline.overhangs(job.parts[0], job)) == ()
    support = edits.add_support(over, "part-1", shipped_sets()["bars-metal"], (pick,)).job.supports[0]
    with_it = edits.add_support(over, "part-1", shipped_sets()["bars-metal"], (pick,)).job
    assert len(pipeline.bars(support, with_it)) == 0
