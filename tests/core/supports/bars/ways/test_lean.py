"""Ways round what stands below."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import bars_for, request_for
from parts_in_the_way import block_with_bore, shelf_over_floor, two_floors

from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.bars.facts.report import way_in_words
from lean_trellis.core.supports.bars.struts import LANDED, LEANT_OFF_PART, ON_PART, ON_PLATE, STRAIGHT


def test_bars_lean_round_what_stands_below_and_come_down_on_the_plate(shelf):
    bars = bars_for(shelf, lift=0.0, landing="plate_only", lean_limit=40)
    assert len(bars) > 20, "near the shelf's edge there is a way"
    assert (bars.landings == ON_PLATE).all()
    assert (bars.centres[:, 0, 2] == 0).all()
    leaning = bars.leans_deg > 1
    assert leaning.all(), "the floor of the shelf is below all of it"
    assert bars.leans_deg.max() <= 40 + 1e-6
    below = bars.centres[:, 3] - bars.centres[:, 0]
    np.testing.assert_allclose(below[:, :2], 0, atol=1e-9), "below the bend straight down"
    np.testing.assert_array_less(bars.centres[:, 2, 2], bars.centres[:, 3, 2] + 1e-9)
    assert len(bars.missed.holds) > 0, "from its middle there is none"
    bounds = request_for(shelf, lift=0.0).overhangs.mesh.bounds
    assert ((bars.centres[:, 0, :2] < bounds[0, :2]) | (bars.centres[:, 0, :2] > bounds[1, :2])).any(axis=1).all()


def test_of_two_floors_bars_land_on_the_lower_rather_than_lean_past_it():
    values = shipped_sets()["bars-metal"].parameters.model_dump()
    bars = bars_for(two_floors(), lift=4.0, critical=40.0, **values)
    landed = bars.landings == ON_PART
    assert landed.sum() > 0.4 * len(bars)
    assert (bars.further[bars.whys == LANDED] > 12.0).all(), "by less they would have gone to the plate"
    assert (bars.whys == LANDED).sum() > 0.7 * landed.sum()
    straight = np.linalg.norm(np.diff(bars.centres[:, :, :2], axis=1), axis=2).sum(axis=1)
    assert straight.max() < 22.0


@pytest.mark.parametrize("name", ["bars-metal", "bars-resin-regular", "bars-extrusion", "bars-metal-braced"])
def test_in_a_bore_no_bar_goes_out_to_the_plate(name):
    bars = bars_for(block_with_bore(), lift=4.0, critical=40.0, **shipped_sets()[name].parameters.model_dump())
    inside = bars.holds[:, 2] > 20
    assert inside.sum() >= 4
    assert bars.lengths_mm[inside].max() < 13.0
    assert (bars.landings[inside] == ON_PART).all()


def test_a_bar_goes_to_the_plate_as_long_as_the_detour_allows_and_says_why():
    part = shelf_over_floor(8.0)
    common = {"lift": 0.0, "critical": 40.0, "spacing": 3.0, "lean_limit": 40.0, "bar_clearance": 0.4}
    free = bars_for(part, detour=500.0, **common)
    landed = bars_for(part, detour=0.0, **common)
    assert (landed.landings == ON_PART).all()
    leant = np.flatnonzero(free.landings == ON_PLATE)
    assert len(leant), "some near the edge can go past the floor"
    assert (free.whys[leant] == LEANT_OFF_PART).all()
    assert "leans to the plate" in way_in_words(free, int(leant[0]))
    least = float(landed.further.min())
    assert np.isfinite(least)
    for detour, count in ((least - 0.01, 0), (least + 0.01, 1)):
        bars = bars_for(part, detour=detour, **common)
        assert min(int((bars.landings == ON_PLATE).sum()), 1) == count
    assert f"{landed.further[0]:.1f} mm longer" in way_in_words(landed, 0) or "no way" in way_in_words(landed, 0)
    assert set(landed.whys.tolist()) == {LANDED}


def test_straight_bars_say_so():
    bars = bars_for(two_floors(), lift=4.0, critical=40.0)
    straight = int(np.flatnonzero(bars.whys == STRAIGHT)[0])
    assert way_in_words(bars, straight) == "straight down to the plate"
