"""Rafts, blocks, cradles and flank walls: areas, holes, clearances, contacts, what is refused, kept and checked."""

from __future__ import annotations

import numpy as np
import pytest
from body_cases import is_closed, raft_for, ring

from lean_trellis.core.demo import metal_build
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.mesh.primitives import ball, box, wavy_plate
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import full_library, shipped_library

ALL = sorted(shipped_sets())


def test_a_part_on_its_raft_is_held_by_it_and_one_above_it_is_not():
    on_it, above = raft_for(ring(), offset=0.6, thickness=0.6), raft_for(ring(), offset=3.0, thickness=0.6)
    assert on_it.contact_area_mm2 == pytest.approx(np.pi * (400 - 64), rel=2e-3)
    assert on_it.served == {0} and len(on_it.holds) > 500
    assert above.contact_area_mm2 == 0 and not len(above.holds)


@pytest.mark.parametrize("name", [name for name in ALL if not name.startswith("bars")])
def test_every_family_is_generated_kept_checked_and_told_apart(metal_job, name, tmp_path):
    chosen = shipped_sets()[name]
    job = edits.add_support(metal_job, "part-1", chosen).job
    if name in ("raft-brim", "raft-pads"):
        job = edits.set_build_offset(job, ["part-1"], 0.0).job
    job = edits.give_body(job, "support-1", ball(3), "ball").job if name == "block-plain" else job
    save_job(job, tmp_path / "a.trellis")
    again = open_job(tmp_path / "a.trellis", shipped_library())
    assert again.supports[0].parameters == job.supports[0].parameters
    assert type(again.supports[0].parameters) is type(chosen.parameters)
    one, other = Pipeline().structure(job.supports[0], job), Pipeline().structure(again.supports[0], again)
    assert one.volume_mm3 == other.volume_mm3 > 0
    assert np.array_equal(one.mesh.vertices, other.mesh.vertices)
    codes = {finding.code for finding in Pipeline().findings(job)}
    assert not codes & {"support_through_part", "support_empty", "wall_left_out"}


def test_a_raft_that_two_parts_share_lies_under_both_and_stays_when_one_goes(metal_job):
    job = edits.add_support(metal_job, "part-1", shipped_sets()["raft-rectangle"]).job
    alone = Pipeline().structure(job.supports[0], job)
    job = edits.share_raft(job, "support-1", ["part-1", "part-2"]).job
    shared = Pipeline().structure(job.supports[0], job)
    assert shared.area_mm2 > 1.5 * alone.area_mm2
    moved = edits.move_part(job, "part-2", 100, 60).job
    assert Pipeline().structure(moved.supports[0], moved).area_mm2 != shared.area_mm2
    left = edits.remove_parts(job, ["part-1"]).job
    assert left.supports[0].parts == ("part-2",)
    assert not edits.remove_parts(left, ["part-2"]).job.supports


def test_supports_built_into_each_other_are_listed_and_walls_make_room(metal_job):
    job = edits.add_support(metal_job, "part-1", shipped_sets()["bars-metal"]).job
    job = edits.add_support(job, "part-1", shipped_sets()["lattice-metal"]).job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "supports_overlap"]
    assert len(found) == 1 and found[0].value > 1
    cure = found[0].cures[0]
    job = cure.change.edit(job, Pipeline()).job
    assert "supports_overlap" not in {finding.code for finding in Pipeline().findings(job)}
    pipeline = Pipeline()
    thinner = edits.change_support(job, "support-1", "spacing", 6.0).job
    before, after = (pipeline.structure(some.supports[1], some) for some in (job, thinner))
    assert after.area_mm2 > before.area_mm2  # fewer bars to make room for: made anew


def test_a_tall_thin_part_tips_over_until_a_wall_stands_beside_it():
    library = shipped_library()
    job = new_job(library.machine("filament-320"), library.material("pla"))
    job = edits.add_bodies(job, [Body("panel", box((30, 1.2, 200)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 0.0).job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "tips_over"]
    assert len(found) == 1 and found[0].severity == "stop" and found[0].value < 1
    assert found[0].cures[0].change.set_name == "wall-flank"
    job = edits.add_support(job, "part-1", shipped_sets()["wall-flank"]).job
    assert "tips_over" not in {finding.code for finding in Pipeline().findings(job)}


def test_a_wavy_part_in_a_cradle_and_on_a_lattice_has_no_stop(metal_job):
    job = edits.add_bodies(metal_job, [Body("wave", wavy_plate(24, 20), 1)]).job
    job = edits.remove_parts(job, ["part-1", "part-2"]).job
    job = edits.set_build_offset(job, [job.parts[0].id], 6.0).job
    job = edits.add_support(job, job.parts[0].id, shipped_sets()["lattice-metal"]).job
    assert not [finding.message for finding in Pipeline().findings(job) if finding.severity == "stop"]


def test_a_part_becomes_a_block_where_it_stands_and_is_a_part_no_more(metal_job):
    job = edits.set_build_offset(metal_job, ["part-2"], 0.0).job
    x, y = job.part("part-1").pose.x, job.part("part-1").pose.y
    job = edits.set_build_offset(edits.move_part(job, "part-2", x + 3, y).job, ["part-1"], 16.0).job
    job = edits.add_support(job, "part-1", shipped_sets()["block-plain"]).job
    before = job.part("part-2").bounds()
    made = edits.become_block(job, "support-1", "part-2").job
    assert [part.id for part in made.parts] == ["part-1"]
    block = Pipeline().structure(made.supports[0], made)
    assert block.mesh.bounds == pytest.approx(before, abs=1e-6)
    assert block.volume_mm3 == pytest.approx(job.part("part-2").mesh.volume)
    with pytest.raises(EditError, match="own part"):
        edits.become_block(job, "support-1", "part-1")


@pytest.mark.parametrize("name", ["lattice-metal", "wall-line", "cradle-posts"])
def test_nothing_runs_into_a_branching_elbow(name):
    job = metal_build(full_library())
    elbow = next(part for part in job.parts if part.name == "Exhaust elbow")
    job = edits.remove_supports(job, [support.id for support in job.supports]).job
    job = edits.add_support(job, elbow.id, shipped_sets()[name]).job
    if name == "lattice-metal":
        job = edits.change_support(job, job.supports[0].id, "thickness", 0.25).job
    made = Pipeline().structure(job.supports[0], job)
    codes = {finding.code for finding in Pipeline().findings(job)}
    assert "support_through_part" not in codes
    assert is_closed(made.mesh)
    assert made.contact_area_mm2 > 5
