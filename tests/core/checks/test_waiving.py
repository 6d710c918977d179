"""Waivers hold by code, part and place, until a value gets worse or a place moves."""

from __future__ import annotations

from dataclasses import replace
from datetime import date

import pytest
from checked_parts import job_of

from lean_trellis.core.checks import is_releasable, open_stops, standing_waiver, waiver_of
from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box

TODAY = date(2026, 6, 15)


def a_stop(job, **values):
    known = {"at_mm": tuple(job.parts[0].bounds()[0].tolist()), "value": 10.0, "limit": 8.0, "part_id": "part-1"}
    return Finding("thin_wall", "stop", job.parts[0].name, "too much", "because", **(known | values))


@pytest.fixture
def job(metal):
    return job_of(metal, box((20, 20, 5)), box((10, 10, 5)))


def waived(job, finding, **values):
    waiver = waiver_of(finding, job, who="A. Rowan", reason="it is machined off", **values)
    return edits.waive(job, [waiver]).job


def test_a_stop_is_open_until_it_is_waived(job):
    stop = a_stop(job)
    assert open_stops([stop], job, TODAY) == (stop,)
    accepted = waived(job, stop)
    assert is_releasable([stop], accepted, TODAY)
    assert standing_waiver(stop, accepted, TODAY).who == "A. Rowan"


@pytest.mark.parametrize(
    ("value", "limit", "holds"),
    [(10.09, 8.0, True), (10.11, 8.0, False), (7.0, 8.0, True)],
)
def test_it_falls_when_the_value_gets_worse_by_a_hundredth(job, value, limit, holds):
    accepted = waived(job, a_stop(job))
    assert is_releasable([a_stop(job, value=value, limit=limit)], accepted, TODAY) is holds


@pytest.mark.parametrize(("value", "holds"), [(0.496, True), (0.494, False), (0.7, True)])
def test_what_lies_below_its_limit_gets_worse_by_falling(job, value, holds):
    accepted = waived(job, a_stop(job, value=0.5, limit=0.8))
    assert is_releasable([a_stop(job, value=value, limit=0.8)], accepted, TODAY) is holds


def test_a_count_without_a_limit_may_not_change(job):
    accepted = waived(job, a_stop(job, value=3, limit=None))
    assert is_releasable([a_stop(job, value=3, limit=None)], accepted, TODAY)
    assert not is_releasable([a_stop(job, value=2, limit=None)], accepted, TODAY)


@pytest.mark.parametrize(("by", "holds"), [(0.4, True), (0.6, False)])
def test_it_falls_when_the_place_moves_on_the_part(job, by, holds):
    stop = a_stop(job)
    accepted = waived(job, stop)
    x, y, z = stop.at_mm
    assert is_releasable([a_stop(job, at_mm=(x + by, y, z))], accepted, TODAY) is holds


def test_it_stays_when_the_part_is_moved_with_its_place_and_falls_when_it_is_turned(job):
    accepted = waived(job, a_stop(job))
    moved = edits.move_part(accepted, "part-1", 200.0, 50.0).job
    assert is_releasable([a_stop(moved)], moved, TODAY)
    turned = edits.turn_part(accepted, "part-1", "x", 90.0).job
    assert not is_releasable([a_stop(turned)], turned, TODAY)


def test_another_part_or_code_or_a_lost_place_is_another_matter(job):
    accepted = waived(job, a_stop(job))
    for other in (a_stop(job, part_id="part-2"), replace(a_stop(job), code="warp"), a_stop(job, at_mm=None)):
        assert not is_releasable([other], accepted, TODAY)


def test_it_holds_through_its_last_day(job):
    accepted = waived(job, a_stop(job), expires="2026-06-15")
    assert is_releasable([a_stop(job)], accepted, TODAY)
    assert not is_releasable([a_stop(job)], accepted, date(2026, 6, 16))


def test_a_caution_needs_no_waiver(job):
    assert is_releasable([replace(a_stop(job), severity="caution")], job, TODAY)


@pytest.mark.parametrize(("change", "words"), [
    ({"who": "  "}, "names nobody"), ({"reason": ""}, "gives no reason"), ({"expires": "next week"}, "is no day"),
])  # fmt: skip
def test_a_waiver_needs_a_name_a_reason_and_a_true_day(job, change, words):
    waiver = waiver_of(a_stop(job), job, **({"who": "A. Rowan", "reason": "machined off"} | change))
    with pytest.raises(EditError, match=words):
        edits.waive(job, [waiver])


def test_a_second_waiver_of_the_same_place_replaces_the_first_and_one_can_be_withdrawn(job):
    once = waived(job, a_stop(job))
    twice = waived(once, a_stop(job, value=12.0))
    assert [waiver.value for waiver in twice.waivers] == [12.0]
    assert edits.withdraw_waivers(twice, twice.waivers).job.waivers == ()


def test_a_part_that_leaves_takes_its_waivers_with_it(job):
    assert edits.remove_parts(waived(job, a_stop(job)), ["part-1"]).job.waivers == ()
