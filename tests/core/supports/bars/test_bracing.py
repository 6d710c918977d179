"""Braces between uprights: bays by kind, no steeper than holds itself, none longer free than asked."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import Pose
from lean_trellis.core.supports import BarParameters
from lean_trellis.core.supports.bars.bracing import BAYS, Uprights, braced
from lean_trellis.core.supports.bars.struts import leans_of
from lean_trellis.core.supports.common.obstacle import Obstacle


def standing(*places: tuple[float, float], low: float = 1.0, top: float = 41.0) -> Uprights:
    rings = np.array([[(x, y, z) for z in (low, 0.5 * (low + top), top)] for x, y in places])
    return Uprights(rings, 7 + np.arange(len(places)))


def test_a_zigzag_goes_from_side_to_side_in_equal_bays():
    assert BAYS["zigzag"](0.0, 30.0, 4.0, 20.0) == [(0, 1, 0.0, 10.0), (1, 0, 10.0, 20.0), (0, 1, 20.0, 30.0)]


def test_crosses_have_two_struts_a_bay():
    assert BAYS["x"](0.0, 30.0, 4.0, 20.0) == [
        (0, 1, 0.0, 15.0), (1, 0, 0.0, 15.0), (0, 1, 15.0, 30.0), (1, 0, 15.0, 30.0)
    ]  # fmt: skip


def test_two_to_a_point_meet_in_the_middle_of_a_bay():
    assert BAYS["k"](0.0, 40.0, 4.0, 20.0) == [
        (0, 1, 0.0, 10.0), (1, 0, 10.0, 20.0), (1, 0, 20.0, 30.0), (0, 1, 30.0, 40.0)
    ]  # fmt: skip


@pytest.mark.parametrize("kind", sorted(BAYS))
def test_no_bay_is_lower_than_what_holds_itself_and_without_room_there_is_none(kind):
    assert BAYS[kind](0.0, 3.0, 4.0, 20.0) == []
    for lower, upper, start, stop in BAYS[kind](2.0, 22.0, 6.0, 1.0):
        assert {lower, upper} == {0, 1}
        assert 2.0 <= start < stop <= 22.0 + 1e-9
        assert stop - start >= 6.0 - 1e-9


def test_uprights_are_as_long_as_their_middle_lines_and_stand_where_these_go():
    bent = Uprights(np.array([[(0.0, 0, 0), (0, 0, 10), (6, 0, 18)]]), np.array([3]))
    assert bent.lengths == pytest.approx([20.0])
    where = np.zeros(4, np.int64)
    assert bent.at(where, np.array([-1.0, 5, 14, 18])) == pytest.approx(
        np.array([(0.0, 0, 0), (0, 0, 5), (3, 0, 14), (6, 0, 18)])
    )


@pytest.mark.parametrize("kind", sorted(BAYS))
def test_braces_join_all_lean_no_more_than_allowed_and_leave_no_stretch_too_long(kind):
    uprights = standing((0, 0), (5, 0), (10, 0), (0, 5))
    parameters = BarParameters(brace=kind, free_length=15.0, lean_limit=40.0, brace_diameter=0.8)
    struts = braced(uprights, parameters, [])
    assert (struts.radii == 0.4).all()
    assert leans_of(struts.starts, struts.stops).max() <= 40.0 + 1e-5
    assert set(struts.columns.reshape(-1).tolist()) == {7, 8, 9, 10}
    joined = {frozenset(pair) for pair in struts.columns.tolist()}
    assert {frozenset((7, 8)), frozenset((8, 9)), frozenset((7, 10))} <= joined
    for number, (x, y) in zip(uprights.numbers.tolist(), uprights.places[:, 0, :2].tolist(), strict=True):
        ends = np.concatenate([struts.starts, struts.stops])
        mine = np.concatenate([struts.columns[:, 0], struts.columns[:, 1]]) == number
        assert np.hypot(*(ends[mine][:, :2] - (x, y)).T) == pytest.approx(np.zeros(int(mine.sum())), abs=1e-9)
        met = np.sort(np.concatenate([ends[mine][:, 2], [1.0, 41.0]]))
        assert np.diff(met).max() <= 15.0 + 1e-6


def test_one_upright_or_no_kind_has_no_braces():
    assert not len(braced(standing((0, 0)), BarParameters(brace="x"), []))
    assert not len(braced(standing((0, 0), (5, 0)), BarParameters(brace="none"), []))


def test_uprights_too_far_apart_for_the_lean_stay_as_they_are():
    assert not len(braced(standing((0, 0), (60, 0)), BarParameters(brace="x", lean_limit=40), []))


def test_no_brace_runs_through_a_part():
    uprights = standing((0, 0), (12, 0))
    parameters = BarParameters(brace="x", free_length=15.0, lean_limit=45.0, part_clearance=0.5)
    assert len(braced(uprights, parameters, []))
    between = box((2, 20, 60))
    pose = Pose(x=6, y=0, build_offset=0)
    wall = Obstacle(RayTree(between), pose, pose.applied(between))
    assert not len(braced(uprights, parameters, [wall]))


def test_uprights_that_lean_apart_are_braced_over_their_widest_distance():
    places = np.array([[(side * x, 0.0, z) for x, z in ((2, 1), (2, 11), (7, 41))] for side in (-1, 1)])
    parameters = BarParameters(brace="zigzag", free_length=13.0, lean_limit=45.0)
    struts = braced(Uprights(places, np.arange(2)), parameters, [])
    rises = np.abs(struts.stops[:, 2] - struts.starts[:, 2])
    assert (rises >= 14 * (1 - 1e-6)).all(), "a brace at the top spans 14 and holds itself"
    assert max(struts.stops[:, 2].max(), struts.starts[:, 2].max()) == pytest.approx(41.0)


@pytest.mark.parametrize("kind", sorted(BAYS))
def test_above_a_short_neighbour_tall_uprights_are_braced_with_each_other(kind):
    tall, short = standing((0, 0), (10, 0), top=61.0), standing((5, 0), top=11.0)
    uprights = Uprights(np.concatenate([tall.places, short.places]), np.arange(3))
    parameters = BarParameters(brace=kind, free_length=16.0, lean_limit=45.0)
    struts = braced(uprights, parameters, [])
    for number in (0, 1):
        ends = np.concatenate([struts.starts, struts.stops])[:, 2]
        mine = ends[np.concatenate([struts.columns[:, 0], struts.columns[:, 1]]) == number]
        assert np.diff(np.sort(np.concatenate([mine, [1.0, 61.0]]))).max() <= 16.0 + 1e-6
    upper = (struts.starts[:, 2] > 11.0) | (struts.stops[:, 2] > 11.0)
    assert {tuple(sorted(pair)) for pair in struts.columns[upper].tolist()} == {(0, 1)}
