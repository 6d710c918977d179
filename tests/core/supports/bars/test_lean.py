"""Ways round what stands below."""

from __future__ import annotations

import numpy as np
from bar_requests import bars_for, request_for

from lean_trellis.core.supports.bars.struts import ON_PLATE


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
