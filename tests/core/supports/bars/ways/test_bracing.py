"""Braces between uprights: bays by kind, no steeper than holds itself, none longer free than asked."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import bars_for

from lean_trellis.core.mesh.distance import segment_segment_distances
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import Pose
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import BarParameters
from lean_trellis.core.supports.bars.clearing import Stretches
from lean_trellis.core.supports.bars.facts.figures import free_lengths
from lean_trellis.core.supports.bars.struts import leans_of
from lean_trellis.core.supports.bars.ways.bracing import BAYS, Uprights, braced
from lean_trellis.core.supports.common.obstacle import Obstacle
from lean_trellis.core.supports.common.solids import polygon_share


def standing(*places: tuple[float, float], low: float = 1.0, top: float = 41.0) -> Uprights:
    rings = np.array([[(x, y, z) for z in (low, 0.5 * (low + top), top)] for x, y in places])
    return Uprights(rings, 7 + np.arange(len(places)))


def test_a_zigzag_goes_from_side_to_side_evenly_and_no_oftener_than_it_must():
    assert BAYS["zigzag"](0.0, 30.0, 4.0, 12.0, 0) == [(0, 1, 6.5, 10.5), (1, 0, 13.0, 17.0), (0, 1, 19.5, 23.5)]
    assert BAYS["zigzag"](0.0, 12.0, 4.0, 12.0, 0) == []
    assert BAYS["zigzag"](0.0, 12.0, 4.0, 12.0, 1) == [(0, 1, 4.0, 8.0)]


def test_crosses_have_two_struts_a_bay():
    assert BAYS["x"](0.0, 29.0, 4.0, 8.0, 0) == [
        (0, 1, 7.0, 11.0), (1, 0, 7.0, 11.0), (0, 1, 18.0, 22.0), (1, 0, 18.0, 22.0)
    ]  # fmt: skip


def test_two_to_a_point_meet_in_the_middle_of_a_bay():
    assert BAYS["k"](0.0, 40.0, 4.0, 16.0, 0) == [
        (0, 1, 8.0, 12.0), (1, 0, 12.0, 16.0), (1, 0, 24.0, 28.0), (0, 1, 28.0, 32.0)
    ]  # fmt: skip


@pytest.mark.parametrize("kind", sorted(BAYS))
def test_no_brace_rises_less_than_holds_itself_and_without_room_there_is_none(kind):
    assert BAYS[kind](0.0, 3.0, 4.0, 20.0, 1) == []
    for lower, upper, start, stop in BAYS[kind](2.0, 22.0, 6.0, 1.0, 0):
        assert {lower, upper} == {0, 1}
        assert 2.0 <= start < stop <= 22.0 + 1e-9
        assert stop - start == pytest.approx(6.0)


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
    leans = leans_of(struts.starts, struts.stops)
    assert leans.max() <= 40.0 + 1e-5
    assert leans.min() >= 30.0
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


def test_uprights_that_lean_apart_are_braced_over_their_distance_there():
    places = np.array([[(side * x, 0.0, z) for x, z in ((4, 1), (4, 11), (6, 41))] for side in (-1, 1)])
    parameters = BarParameters(brace="zigzag", free_length=26.0, lean_limit=45.0)
    struts = braced(Uprights(places, np.arange(2)), parameters, [])
    leans = leans_of(struts.starts, struts.stops)
    assert len(struts)
    assert leans.min() >= 30.0
    assert leans.max() <= 45.0 + 1e-5


def test_braces_keep_clear_of_what_stands_between_and_of_each_other():
    uprights = standing((0, 0), (12, 0), (6, 8), (6, -8))
    values = {"free_length": 14.0, "lean_limit": 45.0, "shaft_diameter": 1.2}
    parameters = BarParameters(brace="zigzag", bar_clearance=0.5, **values)
    post = Stretches(
        np.array([(6.0, 0, 0)]), np.array([(6.0, 0, 60)]), np.array([0.6]), np.array([-1]), np.zeros(1, bool)
    )
    struts = braced(uprights, parameters, [], post)
    assert not {frozenset((7, 8)), frozenset((9, 10))} & {frozenset(pair) for pair in struts.columns.tolist()}
    one, other = np.triu_indices(len(struts), 1)
    away = segment_segment_distances(struts.starts[one], struts.stops[one], struts.starts[other], struts.stops[other])
    apart = away - 2 * struts.radii[0]
    meets = np.zeros(len(one), bool)
    for mine in (struts.starts, struts.stops):
        for theirs in (struts.starts, struts.stops):
            meets |= np.linalg.norm(mine[one] - theirs[other], axis=1) <= 0.6
    assert len(struts) >= 6
    assert (apart[~meets] >= 0.5 - 1e-6).all()
    free = braced(uprights, BarParameters(brace="zigzag", **values), [], post)
    assert frozenset((7, 8)) in {frozenset(pair) for pair in free.columns.tolist()}


def test_under_a_tall_plate_braces_take_little_and_leave_no_bar_too_long():
    values = shipped_sets()["bars-metal-braced"].parameters.model_dump() | {"lean_limit": 35.0}
    bars = bars_for(box((40, 40, 3)), lift=60.0, **values)
    braces = bars.braces
    assert len(bars) > 150
    assert free_lengths(bars)[0].max() <= values["free_length"] + values["foot_height"]
    assert leans_of(braces.starts, braces.stops).min() >= 30.0
    assert polygon_share(8) * (braces.lengths_mm * braces.radii**2).sum() < 0.25 * bars.volumes_mm3.sum()


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
