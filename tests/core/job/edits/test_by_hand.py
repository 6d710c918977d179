"""Edits of bars by hand: what the job keeps of each, and what is refused."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.bars.struts import SHAFT_START, TIP_END

ME = "support-1"


@pytest.fixture(scope="module")
def job(metal):
    bodies = [Body("slab", box((12, 8, 4)), 12), Body("other", box((5, 5, 5)), 12)]
    job = edits.add_bodies(new_job(*metal), bodies).job
    job = edits.set_build_offset(job, ["part-1"], 12).job
    return edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job


@pytest.fixture(scope="module")
def bars(job):
    return Pipeline().bars(job.supports[0], job)


def hand(edit):
    return edit.job.support(ME).hand


def plate(job, place):
    part = job.part("part-1")
    return part.pose.to_plate(part.mesh, np.array([place], float))[0]


def test_bars_are_added_at_places_of_the_part(job):
    places = np.array([(130.0, 130, 12), (132, 130, 12)])
    added = edits.add_bars(job, ME, places, on_any_slope=True)
    assert np.array([plate(job, bar.place) for bar in hand(added).bars]) == pytest.approx(places)
    assert all(bar.on_any_slope for bar in hand(added).bars)
    assert "2 bars" in added.title
    assert "a bar" in edits.add_bars(job, ME, places[:1]).title
    with pytest.raises(EditError):
        edits.add_bars(job, ME, places[:0])


def test_support_points_without_a_path_are_moved_and_given_up_where_they_were(job):
    missed = np.array([(130.0, 130, 12), (132, 130, 12)])
    both, one = (edits.move_missed(job, ME, missed[:n], missed[:n] + [0.5, 0, 0]) for n in (2, 1))
    assert both.title == "Move 2 support points to where there is a clear path"
    assert one.title == "Move a support point to where there is a clear path"
    assert np.array([plate(job, bar.place) for bar in hand(both).bars]) == pytest.approx(missed + [0.5, 0, 0])
    assert np.array([plate(job, gone.place) for gone in hand(both).removed]) == pytest.approx(missed)
    together = edits.move_missed(job, ME, missed, missed * 0 + missed[0])
    assert len(hand(together).bars) == 1, "those that go to one place become one bar"


def test_a_moved_bar_leaves_a_gap_as_wide_as_half_the_way_to_the_next(job, bars):
    place = tuple((bars.holds[3] + [0.3, 0, 0]).tolist())
    moved = hand(edits.move_hold(job, ME, bars, 3, place))
    assert plate(job, moved.bars[0].place) == pytest.approx(place)
    (gone,) = moved.removed
    others = np.delete(bars.holds, 3, axis=0)
    nearest = np.linalg.norm(others - bars.holds[3], axis=1).min()
    bound = job.support(ME).parameters.bound_mm
    assert plate(job, gone.place) == pytest.approx(bars.holds[3])
    assert gone.radius == pytest.approx(min(bound, nearest / 2))


def test_a_foot_and_a_bend_are_kept_from_the_bars_upper_end(job, bars):
    hold = bars.holds[2]
    led = hand(edits.lead_bar(job, ME, bars, 2, foot=(hold[0] + 2.0, hold[1] - 1.0))).bars[0]
    assert led.foot == pytest.approx((2.0, -1.0))
    assert led.bend is None
    bent = hand(edits.lead_bar(job, ME, bars, 2, bend=tuple((hold + [1.0, 0.5, -4.0]).tolist()))).bars[0]
    assert bent.bend == pytest.approx((1.0, 0.5, -4.0))
    assert bent.foot is None


def test_every_second_pairs_nearest_bars_and_leaves_one_of_each(bars):
    gone = edits.every_second(bars, range(len(bars)))
    assert len(bars) // 4 < len(gone) <= len(bars) // 2
    assert gone == tuple(sorted(set(gone)))
    assert edits.every_second(bars, [4]) == ()
    assert edits.every_second(bars, []) == ()
    near = int(np.argsort(np.linalg.norm(bars.holds - bars.holds[0], axis=1))[1])
    assert edits.every_second(bars, [0, near]) == (max(0, near),)


def test_thicker_is_by_a_quarter_and_thinner_by_what_is_asked(job, bars):
    shaft, tip = 2 * bars.radii[1, SHAFT_START], 2 * bars.radii[1, TIP_END]
    stout = edits.make_thicker(job, ME, bars, [1])
    (bar,) = hand(stout).bars
    assert (bar.shaft_diameter, bar.tip_diameter) == pytest.approx((1.25 * shaft, 1.25 * tip), abs=1e-4)
    thin = edits.make_thicker(job, ME, bars, [1], 0.8)
    assert hand(thin).bars[0].shaft_diameter == pytest.approx(0.8 * shaft, abs=1e-4)
    assert ("thicker" in stout.title, "thinner" in thin.title) == (True, True)


def test_locked_bars_keep_their_way_and_are_neither_moved_nor_taken_out(job, bars):
    locked = edits.lock_bars(job, ME, bars, [0, 1]).job
    first = locked.support(ME).hand.bars[0]
    assert first.is_locked
    assert first.shaft_diameter == pytest.approx(2 * bars.radii[0, SHAFT_START])
    assert first.foot is not None
    again = Pipeline().bars(locked.support(ME), locked)
    mine = [int(np.flatnonzero(again.by_hand == number)[0]) for number in (0, 1)]
    with pytest.raises(EditError, match="locked"):
        edits.move_hold(locked, ME, again, mine[0], tuple(again.holds[mine[0]]))
    with pytest.raises(EditError):
        edits.delete_bars(locked, ME, again, mine)
    free = next(bar for bar in range(len(again)) if bar not in mine)
    left = edits.delete_bars(locked, ME, again, [*mine, free])
    assert len(hand(left).removed) == 1
    assert len(hand(left).bars) == 2
    unlocked = edits.lock_bars(locked, ME, again, mine, locked=False).job
    assert not any(bar.is_locked for bar in unlocked.support(ME).hand.bars)


def test_a_tie_needs_two_places_farther_apart_than_it_is_thick(job):
    start = (128.0, 130.0, 12.0)
    (tie,) = hand(edits.add_tie(job, ME, start, (129.0, 130.0, 12.0), 1.0)).ties
    assert (plate(job, tie.start) - plate(job, tie.stop)).tolist() == pytest.approx([-1, 0, 0])
    assert tie.diameter == 1.0
    with pytest.raises(EditError):
        edits.add_tie(job, ME, start, (128.9, 130.0, 12.0), 1.0)


def test_all_work_by_hand_is_dropped_at_once(job, bars):
    busy = edits.add_bars(edits.delete_bars(job, ME, bars, [0]).job, ME, bars.holds[:1]).job
    assert edits.drop_hand_work(busy, ME).job.support(ME).hand == job.support(ME).hand


def test_supports_are_copied_to_copies_alone(job):
    assert edits.copies_of(job, "part-1") == ()
    with pytest.raises(EditError, match="no copies"):
        edits.copy_support(job, ME, [])
    with pytest.raises(EditError, match="no copy"):
        edits.copy_support(job, ME, ["part-2"])
    both = edits.copy_part(job, "part-1").job
    copies = edits.copies_of(both, "part-1")
    assert copies == ("part-3",)
    copied = edits.copy_support(both, ME, copies).job
    fresh = copied.supports[-1]
    assert (fresh.part_id, fresh.parameters) == ("part-3", job.support(ME).parameters)
    assert len({support.id for support in copied.supports}) == len(copied.supports) == len(both.supports) + 1
