"""Faults of coupons are errors like all others: one line."""

from __future__ import annotations

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.strength.coupons.fitted import CouponError


def test_a_fault_is_one_line_that_says_what_to_do():
    assert issubclass(CouponError, TrellisError)
    assert str(CouponError("tips", "nothing was measured", "measure one")) == "tips: nothing was measured; measure one"
