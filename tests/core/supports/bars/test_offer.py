"""What trees would save, against generating both."""

from __future__ import annotations

import pytest
from bar_requests import request_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.supports import generate_bars
from lean_trellis.core.supports.bars.offer import tree_offer, tree_values


@pytest.mark.parametrize(("lift", "saves"), [(40.0, True), (3.0, False)])
def test_an_offer_is_the_difference_of_what_both_take(lift, saves):
    values = {"lift": lift, "spacing": 3.5, "bar_clearance": 0.4}
    request = request_for(box((24, 18, 3)), **values)
    alone = generate_bars(request)
    offer = tree_offer(request, alone)
    assert offer.saves is saves
    joined = generate_bars(
        request_for(box((24, 18, 3)), lift=lift, spacing=3.5, bar_clearance=0.4, join="on", join_levels=2)
    )
    whole, trees = (united([bars.mesh]).volume for bars in (alone, joined))
    assert (offer.alone_mm3, offer.joined_mm3) == pytest.approx((whole, trees))
    assert trees < joined.volume_mm3 or not saves, "what overlaps counts once"
    assert offer.trunks == int((joined.trunks.below < 0).sum())
    if saves:
        assert f"({100 * (1 - trees / whole):.0f} % less)" in str(offer)
    else:
        assert str(offer) == "Trees would save nothing here."


def test_levels_that_are_given_stay():
    assert tree_values(request_for(box((5, 5, 5)), join_levels=3).parameters) == (("join", "on"), ("join_levels", 3))
