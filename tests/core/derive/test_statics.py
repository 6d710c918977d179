"""What contacts carry as results of a job: of all supports together, made again only for what concerns them."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from checked_parts import job_of, supported

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.derive.statics import CARRIERS, STATICS
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets


def test_supports_of_all_families_carry_a_part_together(metal):
    job = supported(job_of(metal, box((24, 16, 5)), offset=8.0), "bars-metal")
    pipeline = Pipeline()
    alone = pipeline.statics("part-1", job).loads["support-1"].pulls.max()
    more = edits.add_support(job, "part-1", shipped_sets()["block-plain"]).job
    found = pipeline.statics("part-1", more)
    assert set(found.loads) == {"support-1", "support-2"}
    assert set(pipeline.figures("part-1", more)) == {"support-1", "support-2"}
    assert len(found.loads["support-2"]) > 0
    assert found.loads["support-1"].pulls.max() < alone


def test_a_raft_under_two_parts_carries_each_with_what_lies_under_it(library):
    shop = library.machine("filament-320"), library.material("pla")
    job = job_of(shop, box((20, 12, 5)), box((14, 14, 9)), offset=1.2)
    job = edits.add_support(job, "part-1", shipped_sets()["raft-follow"]).job
    job = edits.change_support(job, "support-1", "thickness", 1.2).job
    job = replace(job, supports=(replace(job.supports[0], others=("part-2",)),))
    pipeline = Pipeline()
    places = pipeline.graph.get(CARRIERS, job.supports[0], job).grips.places[:, :2]
    for part in job.parts:
        loads = pipeline.statics(part.id, job).loads["support-1"]
        assert len(loads) == len(places)
        low, high = part.bounds()[:, :2]
        inside = ((places >= low - 0.6) & (places <= high + 0.6)).all(axis=1)
        assert loads.pushes[inside].max() > 0
        assert not loads.pushes[~inside].any()


@pytest.mark.parametrize(("set_name", "pulls"), [("bars-metal", True), ("bars-extrusion", False)])
def test_a_gap_holds_nothing_back(library, set_name, pulls):
    ids = ("metal-260", "steel-316l") if pulls else ("filament-320", "pla")
    job = supported(job_of((library.machine(ids[0]), library.material(ids[1])), box((24, 16, 5)), offset=8.0), set_name)
    carriers = Pipeline().graph.get(CARRIERS, job.supports[0], job)
    assert carriers.pulls is pulls
    assert carriers.feet.areas.sum() > 0
    assert np.array_equal(carriers.of_part(job.parts[0].bounds()), np.arange(len(carriers.grips)))


def test_a_move_on_the_plate_of_another_part_leaves_the_statics(pair):
    pipeline = Pipeline()
    for part in pair.parts:
        pipeline.statics(part.id, pair)
    pipeline.graph.made.clear()
    moved = edits.move_part(pair, "part-2", 44, 40).job
    for part in moved.parts:
        pipeline.statics(part.id, moved)
    assert [subject.id for name, subject in pipeline.graph.made if name == STATICS.name] == ["part-2"]
