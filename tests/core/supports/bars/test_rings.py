"""From ways to rings: what bars and trunks are made of."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import bars_for
from parts_in_the_way import shelf_over_floor

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.bars.struts import (
    BEND,
    FOOT_TOP,
    LOWER_END,
    NECK,
    ON_PART,
    SHAFT_END,
    SHAFT_START,
    TIP_END,
)


def test_rings_of_a_straight_bar_rise_on_one_line_from_foot_to_tip():
    bars = bars_for(box((20, 16, 3)), lift=12.0)
    assert np.ptp(bars.centres[..., :2], axis=1) == pytest.approx(np.zeros((len(bars), 2)), abs=1e-9)
    order = [LOWER_END, FOOT_TOP, SHAFT_START, BEND, SHAFT_END, NECK, TIP_END]
    assert (np.diff(bars.centres[:, order, 2], axis=1) >= -1e-9).all()
    assert bars.centres[:, LOWER_END, 2] == pytest.approx(np.zeros(len(bars)))
    assert bars.centres[:, BEND, 2] == pytest.approx(
        (bars.centres[:, SHAFT_START, 2] + bars.centres[:, SHAFT_END, 2]) / 2
    )


def test_a_leaning_bar_stands_below_its_bend_and_one_on_the_part_narrows_to_its_tip():
    bars = bars_for(shelf_over_floor(14.0), lift=0.0, landing="anywhere", tip_diameter=0.5, shaft_diameter=1.2)
    lands = bars.landings == ON_PART
    assert lands.any()
    assert bars.radii[lands, LOWER_END] == pytest.approx(np.full(int(lands.sum()), 0.25))
    assert bars.radii[lands, SHAFT_START] == pytest.approx(np.full(int(lands.sum()), 0.6))
    below = bars.centres[:, BEND, :2] - bars.centres[:, LOWER_END, :2]
    assert below == pytest.approx(np.zeros((len(bars), 2)), abs=1e-9)


@pytest.mark.parametrize("join", ["off", "on"])
def test_feet_of_bars_and_trunks_leave_a_fifth_of_the_way_to_the_next_free(join):
    bars = bars_for(box((24, 18, 3)), lift=40.0, spacing=3.5, bar_clearance=0.4, foot_diameter=6.0, join=join)
    low = bars.trunks.below < 0
    alone = bars.trunk < 0
    at = np.concatenate([bars.centres[alone, LOWER_END, :2], bars.trunks.centres[low, LOWER_END, :2]])
    feet = np.concatenate([bars.radii[alone, LOWER_END], bars.trunks.radii[low, LOWER_END]])
    shafts = np.concatenate([bars.radii[alone, BEND], bars.trunks.radii[low, 3]])
    away = np.linalg.norm(at[:, None] - at, axis=2)
    np.fill_diagonal(away, np.inf)
    assert (feet <= np.maximum(0.4 * away.min(axis=1), shafts) + 1e-9).all()
    assert (away - feet[:, None] - feet).min() > 0
