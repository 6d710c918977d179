"""Constants from repeated measurements."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.strength.coupons.fitted import CouponError
from lean_trellis.core.strength.coupons.scatter import constant_of_many, line_through


def of_many(measured, **more):
    given = {"unit": "MPa", "subject": "tips", "is_safe_low": True, **more}
    return constant_of_many(np.asarray(measured, float), 1, **given)


def test_the_value_is_the_geometric_mean_and_one_measurement_has_an_interval_too():
    one = of_many([16.0])
    assert one.value == pytest.approx(16)
    assert one.low < 13 < 16 < 20 < one.high
    assert one.safe == one.low
    two = of_many([10.0, 40.0], is_safe_low=False)
    assert two.value == pytest.approx(20)
    assert two.safe == two.high
    assert of_many([16.0] * 20).high < 0.5 * (one.high - 16) + 16


@pytest.mark.parametrize("measured", [[], [3.0, 0.0], [np.nan]])
def test_what_is_no_measurement_is_refused(measured):
    with pytest.raises(CouponError, match="not above 0"):
        of_many(measured)


@pytest.mark.parametrize(("count", "scatter"), [(1, 0.1), (2, 0.05), (5, 0.15), (15, 0.2)])
def test_known_constants_are_found_back_within_the_uncertainty_told(count, scatter):
    random, inside = np.random.default_rng(5), 0
    for truth in random.uniform(5, 50, 200):
        one = of_many(truth * np.exp(random.normal(0, scatter, count)))
        inside += one.low <= truth <= one.high
    assert inside >= 190


def test_scale_and_offset_are_told_apart_by_holes_or_by_sizes():
    nominal, side = np.array([10.0, 20, 40, 5, 10, 20]), np.array([1.0, 1, 1, -1, -1, -1])
    scale, offset = line_through(nominal, side, 0.995 * nominal + 2 * 0.06 * side, 1)
    assert (scale.value, offset.value) == (pytest.approx(0.995), pytest.approx(0.06))
    random, inside = np.random.default_rng(2), np.zeros(2)
    for _ in range(200):
        s, o = random.uniform(0.98, 1.01), random.uniform(-0.1, 0.1)
        measured = s * nominal + 2 * o * side + random.normal(0, 0.02, len(nominal))
        scale, offset = line_through(nominal, side, measured, 1)
        inside += [scale.low <= s <= scale.high, offset.low <= o <= offset.high]
    assert (inside >= 190).all()
    with pytest.raises(CouponError, match="does not tell"):
        line_through(np.array([10.0, 10.0]), np.ones(2), np.array([10.1, 10.0]), 1)
