"""Tips as contacts: springs of tip, shaft and trunks in a row."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import bars_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.strength.capacity import second_moments
from lean_trellis.core.supports.bars.facts.grips import grips_of_bars, roots_of
from lean_trellis.core.supports.common.solids import polygon_share

PLATE = box((24, 18, 3))


def test_a_bar_is_as_stiff_as_its_frustums_one_on_the_other():
    bars = bars_for(box((2, 2, 2)), lift=30.0, spacing=20.0, sides=16)
    grips = grips_of_bars(bars)
    assert len(grips) == len(bars) == 1
    steps = np.diff(bars.centres[0, :, 2])
    radii, share = bars.radii[0], polygon_share(16)
    assert 1 / grips.axial[0] == pytest.approx((steps / (share * radii[:-1] * radii[1:])).sum(), rel=1e-6)
    moment = second_moments(radii[[2]], 16)[0]
    assert grips.sideways[0] == pytest.approx(3 * moment / grips.lengths[0] ** 3)
    assert grips.axes[0] == pytest.approx([0, 0, 1])
    assert grips.areas[0] == pytest.approx(share * radii[-1] ** 2)


def test_a_longer_bar_gives_way_more():
    short, tall = (grips_of_bars(bars_for(box((2, 2, 2)), lift=lift, spacing=20.0)) for lift in (10.0, 40.0))
    assert tall.axial[0] < 0.6 * short.axial[0]
    assert tall.sideways[0] < 0.05 * short.sideways[0]


def test_bars_of_a_tree_feel_its_trunk_and_are_one_piece():
    bars = bars_for(PLATE, lift=40.0, spacing=3.5, join="on", contacts_per_trunk=6)
    grips, roots = grips_of_bars(bars), roots_of(bars)
    joined = bars.trunk >= 0
    assert joined.sum() > 10
    footings = bars.footings()
    assert set(np.unique(roots)) <= set(np.unique(footings.pieces))
    alone = int((bars.trunk < 0).sum())
    assert (roots[joined] >= alone).all(), "trees come after bars that stand by themselves"
    low = np.flatnonzero(bars.trunks.below < 0)
    for root in np.unique(roots[joined]).tolist():
        stem = low[root - alone]
        assert (roots == root).sum() == bars.trunks.contacts[stem]
    single = grips_of_bars(bars_for(PLATE, lift=40.0, spacing=3.5))
    assert grips.axial[joined].max() < single.axial.max()


def test_braces_shorten_what_is_free():
    options = {"lift": 60.0, "spacing": 4.0, "lean_limit": 40.0, "free_length": 18.0}
    alone, braced = (grips_of_bars(bars_for(PLATE, **options, **more)) for more in ({}, {"brace": "x"}))
    assert np.median(braced.lengths) < 0.6 * np.median(alone.lengths)
    assert np.median(braced.sideways) > 3 * np.median(alone.sideways)
