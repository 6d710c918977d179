"""What stands where the machine takes up room."""

from __future__ import annotations

import pytest
from checked_parts import codes, job_of, the_finding

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop.machine import Zone


@pytest.fixture
def job(metal):
    """A plate with one clamp of 6 by 4 mm, and a part of 40 by 30 mm that is moved about."""
    machine, material = metal
    clamp = Zone(name="clamp", x=100.0, y=100.0, width=6.0, depth=4.0)
    made = new_job(machine.model_copy(update={"keep_out": (clamp,), "purge_tower": None}), material)
    return edits.add_bodies(made, [Body("slab", box((40, 30, 5)), 12)]).job


def found(job):
    return [finding for finding in Pipeline().findings(job) if finding.code == "keep_out"]


def moved(job, x, y):
    return edits.move_part(job, "part-1", x, y).job


def test_a_face_that_lies_over_a_zone_without_a_corner_in_it_is_found(job):
    (finding,) = found(moved(job, 103.0, 102.0))
    assert finding.part_id == "part-1"
    assert 100 < finding.at_mm[0] < 106
    assert 100 < finding.at_mm[1] < 104
    assert finding.at_mm[2] == pytest.approx(job.parts[0].pose.build_offset)


def test_a_corner_in_a_zone_is_found_and_its_place_told(job):
    (finding,) = found(moved(job, 103.0 + 20, 102.0 + 15))
    assert finding.at_mm == pytest.approx((103.0, 102.0, job.parts[0].pose.build_offset))


@pytest.mark.parametrize(("x", "y"), [(106.0 + 20.1, 102.0), (103.0, 100.0 - 15.1)])
def test_what_stands_beside_a_zone_is_fine(job, x, y):
    assert found(moved(job, x, y)) == []


def test_a_support_in_a_zone_is_found_beside_its_part(job):
    job = moved(job, 103.0, 100.0 - 15.5)
    assert found(job) == []
    raft = edits.add_support(moved(job, 103.0, 100.0 - 15.5), "part-1", shipped_sets()["raft-follow"]).job
    (finding,) = [one for one in found(raft) if one.support_id == raft.supports[-1].id]
    assert finding.part_id == "part-1"
    assert finding.at_mm[2] == pytest.approx(0.0, abs=1e-6)


@pytest.mark.parametrize("size", [(12, 12, 5), (60, 60, 5)])
def test_nothing_may_stand_over_a_zone_of_the_plate(metal, size):
    job = edits.move_part(job_of(metal, box(size), offset=0), "part-1", size[0] / 2, size[1] / 2).job
    found = the_finding(job, "keep_out")
    assert "left clamp" in found.message
    assert found.at_mm[0] <= 10
    assert found.at_mm[1] <= 10
    assert "keep_out" not in codes(edits.move_part(job, "part-1", 130, 110).job)
