"""From repeated measurements of one constant to its value: geometric mean and Student's interval of the logarithms.

Few measurements say little of their own scatter: it is pooled with a scatter of 12 % that counts as three measurements
(assumed; strengths of small printed specimens scatter by 5 to 15 %), so that one alone has an interval too.
"""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.strength.coupons.fitted import CouponError, Fitted

_ASSUMED_SCATTER = 0.12
_COUNTS_AS = 3
_MASS = 0.99


def _student(freedom: float) -> float:
    """How many standard errors a value is off at most, so often as `_MASS` says: Student's distribution."""
    from scipy.special import stdtrit  # not before something has been measured

    return float(stdtrit(freedom, (1 + _MASS) / 2))


def constant_of_many(measured: Floats, coupons: int, *, unit: str, subject: str, is_safe_low: bool) -> Fitted:
    """The constant behind positive measurements (n,). Raises `CouponError` for none, or one that is not above 0."""
    if not len(measured) or (measured <= 0).any() or not np.isfinite(measured).all():
        raise CouponError(subject, "a measurement is not above 0", "leave out steps that came to nothing")
    logs = np.log(measured)
    freedom = len(logs) - 1 + _COUNTS_AS
    squares = float(((logs - logs.mean()) ** 2).sum()) + _COUNTS_AS * _ASSUMED_SCATTER**2
    half = _student(freedom) * np.sqrt(squares / freedom / len(logs))
    value, low, high = (float(np.exp(logs.mean() + side * half)) for side in (0, -1, 1))
    return Fitted(value, low, high, low if is_safe_low else high, unit, coupons)


def line_through(nominal: Floats, side: Floats, measured: Floats, coupons: int) -> tuple[Fitted, Fitted]:
    """Scale and offset of measured = scale * nominal + 2 * offset * side, by least squares with Student's intervals.

    `side` (n,) is 1 for outsides, -1 for holes; where there is but one of these, the offset cannot be told from the
    scale by one size. Raises `CouponError` where the sizes do not say both. A scatter of 0.02 mm counts as three
    measurements (assumed: a calliper's).
    """
    table = np.column_stack([nominal, 2 * side])
    if np.linalg.matrix_rank(table) < 2:
        raise CouponError("scale", "one size alone does not tell scale from offset", "measure two sizes, or a hole too")
    solved, *_ = np.linalg.lstsq(table, measured, rcond=None)
    rest = measured - table @ solved
    freedom = len(measured) - 2 + _COUNTS_AS
    variance = (float(rest @ rest) + _COUNTS_AS * 0.02**2) / freedom
    errors = np.sqrt(np.diag(variance * np.linalg.inv(table.T @ table)))
    half = _student(freedom) * errors
    scale, offset = (
        Fitted(float(v), float(v - h), float(v + h), float(v), unit, coupons)
        for v, h, unit in zip(solved, half, ("1", "mm"), strict=True)
    )
    return scale, offset
