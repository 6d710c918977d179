"""Findings of one cause as one line."""

from __future__ import annotations

from datetime import date

import pytest
from checked_parts import job_of

from lean_trellis.core.checks import waiver_of
from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.checks.grouping import about, grouped
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box

TODAY = date(2026, 6, 1)


@pytest.fixture
def job(metal):
    job = job_of(metal, box((9, 9, 9)), box((8, 8, 8)))
    return edits.describe_part(job, "part-1", owner="Otterbank").job


def found(part, code="warp", severity="stop", value=2.0, limit=1.0, at=(0.0, 0.0, 0.0)):
    return Finding(code, severity, part, "m", "c", at, value, limit, part_id=part)


def test_thirty_places_of_one_part_are_one_line_with_the_worst_first(job):
    many = [found("part-1", value=1.0 + n, at=(float(n), 0.0, 0.0)) for n in range(30)]
    groups = grouped([*many, found("part-2"), found("part-1", "thin_wall")], job, TODAY)
    assert [len(group.findings) for group in groups] == [30, 1, 1]
    assert groups[0].first.value == 30.0
    assert len(groups[0].open) == 30


def test_what_lies_far_below_its_limit_is_worse_than_what_lies_near_it(job):
    near, far = found("part-1", value=0.9, limit=1.0), found("part-1", value=0.2, limit=1.0, at=(9.0, 0, 0))
    assert grouped([near, far], job, TODAY)[0].first is far


def test_severities_come_in_their_order_and_waived_stops_after_open_ones(job):
    first, second = found("part-1"), found("part-2")
    job = edits.waive(job, [waiver_of(first, job, who="A", reason="b")]).job
    groups = grouped([first, second, found("part-1", "x", "caution")], job, TODAY)
    assert [(group.first.part, group.is_waived, len(group.open)) for group in groups] == [
        ("part-2", False, 1), ("part-1", True, 0), ("part-1", False, 0),
    ]  # fmt: skip


def test_groups_of_an_owner_a_part_or_a_kind(job):
    groups = grouped([found("part-1"), found("part-2"), found("part-2", "thin_wall")], job, TODAY)
    assert [one.first.part_id for one in about(groups, job, owner="Otterbank")] == ["part-1"]
    assert [one.first.code for one in about(groups, job, part_id="part-2")] == ["warp", "thin_wall"]
    assert len(about(groups, job, code="warp")) == 2
    assert about(groups, job) == groups
