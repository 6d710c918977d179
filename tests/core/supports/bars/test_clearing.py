"""Bars that keep clear of each other."""

from __future__ import annotations

from functools import partial

import numpy as np
import pytest
import shapely
from bar_requests import bars_for, random_part, request_for
from hypothesis import given, settings
from hypothesis import strategies as st
from parts_in_the_way import block_with_bore, nearest_shafts, two_floors

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.mesh.distance import segment_segment_distances
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import generate_bars
from lean_trellis.core.supports.bars.clearing import Stretches, crowded, too_near, too_near_each_other
from lean_trellis.core.supports.bars.struts import CROWDED, ON_TRUNK

SETS = sorted(name for name in shipped_sets() if name.startswith("bars-"))


def values_of(name, **others):
    return shipped_sets()[name].parameters.model_dump() | {"join": "off", "brace": "none"} | others


def some_stretches(seed: int, count: int) -> Stretches:
    rng = np.random.default_rng(seed)
    starts = rng.uniform(0, 20, (count, 3))
    stops = starts + rng.uniform(-6, 6, (count, 3))
    return Stretches(starts, stops, rng.uniform(0.2, 1.0, count), np.arange(count), rng.random(count) < 0.3)


@given(st.integers(0, 2**31))
@settings(max_examples=15)
def test_pairs_too_near_are_those_of_all_pairs_measured(seed):
    some, others, clearance = some_stretches(seed, 25), some_stretches(seed + 1, 30), 0.5
    one, other = (grid.reshape(-1) for grid in np.meshgrid(np.arange(25), np.arange(30), indexing="ij"))
    away = segment_segment_distances(some.starts[one], some.stops[one], others.starts[other], others.stops[other])
    low, high = (np.minimum, np.maximum)
    apart = high(
        low(some.starts[one, 2], some.stops[one, 2]) - high(others.starts[other, 2], others.stops[other, 2]),
        low(others.starts[other, 2], others.stops[other, 2]) - high(some.starts[one, 2], some.stops[one, 2]),
    )
    near = (away < some.radii[one] + others.radii[other] + clearance - 1e-6) & (apart < clearance)
    near &= ~(some.is_tip[one] & others.is_tip[other])
    assert set(map(tuple, too_near(some, others, clearance).tolist())) == set(
        zip(one[near].tolist(), other[near].tolist(), strict=True)
    )


def test_pairs_among_some_are_given_once_and_none_with_itself():
    some = some_stretches(4, 40)
    every = set(map(tuple, too_near(some, some.only(np.arange(40)), 0.5).tolist()))
    once = list(map(tuple, too_near_each_other(some, 0.5).tolist()))
    assert len(once) > 5
    assert len(set(once)) == len(once)
    assert set(once) == {(one, other) for one, other in every if one < other}


def test_of_a_crowd_the_first_in_the_order_stay_and_what_is_taken_stays():
    places = np.array([(0.0, 0, 0), (1.0, 0, 0), (2.0, 0, 0), (9.0, 0, 0)])
    posts = Stretches(places, places + [0, 0, 10], np.full(4, 0.4), np.arange(4), np.zeros(4, bool))
    assert crowded(posts, Stretches(), 0.5, np.arange(4)).tolist() == [False, True, False, False]
    assert crowded(posts, Stretches(), 0.5, np.array([1, 0, 2, 3])).tolist() == [True, False, True, False]
    taken = posts.only(np.array([3]))
    assert crowded(posts.only(np.array([0, 2])), taken, 8.0, np.array([0, 2])).tolist() == [False, False, True]


@pytest.mark.parametrize("name", SETS)
@pytest.mark.parametrize("part", [partial(two_floors, 20.0), block_with_bore], ids=["two floors", "bore"])
def test_no_two_shafts_of_a_shipped_set_are_nearer_than_their_clearance(name, part):
    values = values_of(name)
    bars = bars_for(part(), lift=4.0, critical=40.0, **values)
    assert len(bars) > 20
    assert nearest_shafts(bars) >= values["bar_clearance"] - 1e-3
    # Caps of 7 mm are for broad undersides: they do not go into bores or right beside walls.
    most = 0.5 if values.get("cap") == "joined" else 0.01
    assert len(bars.missed.holds) <= most * len(bars), "as good as all have a way"


@given(st.integers(0, 2**31))
@settings(max_examples=5)
def test_on_crooked_parts_bars_and_trunks_keep_clear_and_what_falls_out_is_told(seed):
    mesh = random_part(np.random.default_rng(seed))
    free = bars_for(mesh, lift=3.0, spacing=3.0)
    for join in ("off", "on"):
        bars = bars_for(mesh, lift=3.0, spacing=3.0, bar_clearance=0.5, join=join)
        alone = bars.landings != ON_TRUNK
        shafts = bars.stretches()
        shafts = shafts.only(~shafts.is_tip & np.append(alone, np.zeros(len(bars.trunks), bool))[shafts.owners])
        met = shafts.owners[too_near_each_other(shafts, 0.5)]
        assert (met[:, 0] == met[:, 1]).all()
        assert len(bars) + len(bars.missed.holds) >= len(free) + len(free.missed.holds) - 0.1 * len(free)


def test_without_a_clearance_bars_may_meet_as_they_did():
    bars = bars_for(two_floors(), lift=4.0, critical=40.0, **values_of("bars-metal", bar_clearance=None, detour=None))
    assert nearest_shafts(bars) < 0
    assert CROWDED not in bars.missed.reasons


@pytest.mark.parametrize(("spacing", "is_refused"), [(1.49, True), (1.5, False)])
def test_a_spacing_below_shaft_and_clearance_is_refused_with_the_least(spacing, is_refused):
    request = request_for(box((12, 12, 3)), spacing=spacing, shaft_diameter=1.1, bar_clearance=0.4)
    if is_refused:
        with pytest.raises(ParameterError, match=r"use 1\.5 mm or more"):
            generate_bars(request)
    else:
        assert len(generate_bars(request))


def test_the_rim_row_and_the_pattern_are_not_nearer_than_their_shafts_fit():
    bars = bars_for(box((31, 23, 3)), **values_of("bars-metal"))
    away = np.linalg.norm(bars.holds[:, None, :2] - bars.holds[:, :2], axis=2)
    values = values_of("bars-metal")
    assert away[away > 0].min() >= values["shaft_diameter"] + values["bar_clearance"]


@pytest.mark.parametrize("name", ["bars-resin-fine", "bars-resin-regular", "bars-resin-stout", "bars-metal"])
def test_feet_do_not_fuse(name):
    bars = bars_for(box((30, 24, 3)), lift=8.0, **values_of(name))
    at, feet = bars.centres[:, 0, :2], bars.radii[:, 0]
    away = np.linalg.norm(at[:, None] - at, axis=2) - feet[:, None] - feet
    assert away[~np.eye(len(bars), dtype=bool)].min() > 0.1
    assert (feet >= bars.radii[:, 3]).all()


def test_shared_feet_do_not_meet_each_other_nor_single_ones():
    bars = bars_for(box((30, 24, 3)), lift=20.0, **values_of("bars-metal-braced"))
    outlines = [shapely.Polygon(foot[..., :2].reshape(-1, 2)[:48]).convex_hull for foot in bars.feet.rings[:, 2:]]
    wide = [shapely.MultiPoint(foot[..., :2].reshape(-1, 2)).convex_hull for foot in bars.feet.rings]
    assert len(wide) > 5
    assert all(inner.area > 0 for inner in outlines)
    for number, one in enumerate(wide):
        for other in wide[number + 1 :]:
            assert one.distance(other) > 0.1
