"""Bars: hold points, ways, struts and solids; checked by independent measures."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import LAYER, bars_for, request_for
from scipy.spatial import cKDTree

from lean_trellis.core.errors import Cancelled, ParameterError
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.progress import CountingWatch
from lean_trellis.core.supports import generate_bars
from lean_trellis.core.supports.bars.struts import BEND, SHAFT_END, SHAFT_START
from lean_trellis.core.supports.common.support import HandBar, HandWork


def test_bite_goes_in_and_a_gap_stays_away_by_whole_layers():
    bite = bars_for(box((9, 9, 4)), bite_depth=0.3)
    np.testing.assert_allclose(bite.centres[:, -1, 2], 10.3)
    gap = bars_for(box((9, 9, 4)), contact="gap", gap_layers=2, dense_layers=4, tip_length=1.0)
    np.testing.assert_allclose(gap.centres[:, -1, 2], 10 - 2 * LAYER)
    np.testing.assert_allclose(gap.centres[:, -2, 2], 10 - 6 * LAYER)


def test_the_height_limit_leaves_higher_holds_bare_and_counts_them():
    turn = rotation_about("y", 30)
    whole = bars_for(box((40, 10, 3)), turn=turn, lift=4.0)
    limited = bars_for(box((40, 10, 3)), turn=turn, lift=4.0, height_limit=15.0)
    assert limited.holds[:, 2].max() <= 15.0
    assert (limited.missed.above_limit[:, 2] > 15.0).all()
    assert len(limited) + len(limited.missed.above_limit) == len(whole)


def test_the_same_request_gives_the_same_bars():
    mesh = ball(9, subdivisions=4)
    one, other = bars_for(mesh), bars_for(mesh)
    np.testing.assert_array_equal(one.centres, other.centres)


def test_a_set_that_cannot_hold_itself_is_refused_and_work_can_be_cancelled():
    with pytest.raises(ParameterError, match="below the critical angle"):
        bars_for(box((9, 9, 9)), lean_limit=50)
    with pytest.raises(Cancelled):
        generate_bars(request_for(box((9, 9, 9))), CountingWatch(cancel_after=1))


def test_generated_bars_keep_clear_of_one_led_by_hand():
    slab, values = box((24, 24, 3)), {"spacing": 3.0, "bar_clearance": 0.5, "lean_limit": 40.0}
    led = HandWork(bars=(HandBar((12.0, 12.0, 0.0), foot=(6.0, 0.0)),))
    bars = bars_for(slab, lift=20.0, hand=led, **values)
    mine = bars.by_hand >= 0
    assert mine.sum() == 1
    share = np.linspace(0, 1, 60)[:, None, None]
    ways = bars.centres[:, [SHAFT_START, BEND, SHAFT_END]]
    places = np.concatenate([(1 - share) * ways[:, i] + share * ways[:, i + 1] for i in (0, 1)]).swapaxes(0, 1)
    apart = cKDTree(places[mine].reshape(-1, 3)).query(places[~mine].reshape(-1, 3))[0].min()
    shaft = bars.radii[:, BEND].max()
    assert apart >= 2 * shaft + 0.5 - 1e-6
    assert apart < 2 * shaft + 1.5, "some are beside it"


def test_no_regions_give_no_bars():
    bars = bars_for(box((9, 9, 9)), lift=0.0)
    assert len(bars) == 0
    assert len(bars.mesh.faces) == 0
    assert bars.longest_mm == 0
    assert isinstance(bars.mesh, Mesh)
