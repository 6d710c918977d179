"""Ladders of steps: the interval of one or two, the fit of three and more."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.strength.coupons.fitted import CouponError
from lean_trellis.core.strength.coupons.ladders import threshold

STEPS = np.arange(20.0, 65.0, 5.0)


def found(places, held, ladders=1, *, holds_above=True, **more):
    given = {"holds_above": holds_above, "unit": "deg", "subject": "angles", **more}
    return threshold(np.asarray(places), np.asarray(held, bool), ladders, **given)


def test_one_ladder_bounds_the_value_by_its_neighbouring_steps():
    one = found(STEPS, STEPS >= 40)
    assert (one.low, one.value, one.high, one.safe) == (35, 37.5, 40, 40)
    spans = found([1, 2, 3, 4], [1, 1, 0, 0], holds_above=False)
    assert (spans.low, spans.value, spans.high, spans.safe) == (2, 2.5, 3, 2)


def test_steps_out_of_order_widen_the_interval_to_what_all_agree_upon():
    one = found([20, 25, 30, 35, 40], [0, 1, 0, 1, 1])
    assert (one.low, one.high) == (20, 35)
    one = found([20, 25], [1, 0], most=90.0)
    assert (one.low, one.high) == (15, 30)


def test_the_interval_is_bounded_by_nothing_and_by_the_most():
    one = found([0.2, 0.6], [1, 0], holds_above=True, most=0.9)
    assert (one.low, one.high) == (0.0, 0.9), "a step beyond both would be -0.2 and 1.0"


@pytest.mark.parametrize(
    ("held", "holds_above", "toward"),
    [(True, True, "lower"), (False, True, "higher"), (True, False, "higher"), (False, False, "lower")],
)
def test_a_ladder_that_does_not_reach_says_which_way_to_go(held, holds_above, toward):
    with pytest.raises(CouponError, match=f"go {toward}"):
        found(STEPS, np.full(len(STEPS), held), holds_above=holds_above)


def test_three_ladders_that_agree_keep_the_gap_between_their_steps():
    three = found(np.tile(STEPS, 3), np.tile(STEPS >= 40, 3), 3)
    assert three.low <= 35
    assert three.high >= 40
    assert 35 < three.value < 40
    assert three.high - three.low < 12


@pytest.mark.parametrize(
    ("ladders", "width", "holds_above"), [(3, 1.0, True), (3, 3.0, False), (6, 3.0, True), (12, 6.0, False)]
)
def test_known_constants_are_found_back_within_the_uncertainty_told(ladders, width, holds_above):
    random, inside, total, spans = np.random.default_rng(7), 0, 0, []
    places = np.tile(STEPS, ladders)
    for truth in random.uniform(28, 54, 80):
        side = 1 if holds_above else -1
        chance = 1 / (1 + np.exp(-side * (places - truth) / width))
        try:
            one = found(places, random.random(len(places)) < chance, ladders, holds_above=holds_above)
        except CouponError:
            continue
        total += 1
        inside += one.low <= truth <= one.high
        spans.append(one.high - one.low)
    assert total > 70
    assert inside >= 0.95 * total
    assert np.mean(spans) < 4 * width / ladders**0.5 + 10, "an interval that says nothing is no answer"


def test_more_ladders_tell_more():
    random = np.random.default_rng(3)
    spans = []
    for ladders in (3, 30):
        places = np.tile(STEPS, ladders)
        held = random.random(len(places)) < 1 / (1 + np.exp(-(places - 41) / 3))
        one = found(places, held, ladders)
        spans.append(one.high - one.low)
        assert one.low <= 41 <= one.high
    assert spans[1] < 0.5 * spans[0]
