"""A value that was measured, with its uncertainty."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trellis.core.errors import TrellisError


class CouponError(TrellisError):
    """Outcomes of coupons from which no value follows."""


@dataclass(frozen=True)
class Fitted:
    """A value between `low` and `high`; `safe` is the end of the two that a build should rely on."""

    value: float
    low: float
    high: float
    safe: float
    unit: str
    from_n: int
    """How many coupons it comes from."""
