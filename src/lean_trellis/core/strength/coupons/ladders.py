"""From steps that held or failed to the value at which steps begin to hold.

One or two ladders bound it: it lies between the last step that failed and the first that held. From three ladders on a
logistic curve is fitted to all steps, P(held) = 1 / (1 + exp(-(x - m) / s)), with Jeffreys' penalty on its two
parameters, which keeps the fit finite where all ladders agree (Firth 1993, Bias reduction of maximum likelihood
estimates; for logistic curves Heinze and Schemper 2002). The interval holds 99 % of the penalised likelihood's mass
over m, with s between a twentieth of a step and twice the ladder; where all ladders agree it is never narrower than the
gap in which no step lies.
"""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.strength.coupons.fitted import CouponError, Fitted

FROM_LADDERS = 3
"""As many ladders allow a fit."""
_MASS = 0.99
_MIDDLES, _WIDTHS = 600, 60


def threshold(
    places: Floats, held: Bools, ladders: int, *, holds_above: bool, unit: str, subject: str, most: float = np.inf
) -> Fitted:
    """The value at which steps begin to hold, or up to which they hold with `holds_above` off.

    `places` (n,) are the values of all steps of all ladders, `held` (n,) whether each did; 0 and `most` bound the
    value.
    Raises `CouponError` where every step held or every one failed: then the value lies beyond the ladder.
    """
    if held.all() or not held.any():
        beyond = "held" if held.all() else "failed"
        toward = "lower" if held.all() == holds_above else "higher"
        raise CouponError(subject, f"every step {beyond}: the value lies beyond them", f"build steps that go {toward}")
    sign = 1.0 if holds_above else -1.0
    low, high = _bracket(sign * places, held)
    value = (low + high) / 2
    if ladders >= FROM_LADDERS:
        value, begin, end = _fit(sign * places, held)
        agree = high - low <= _step(places) * (1 + 1e-9)
        low, high = (min(low, begin), max(high, end)) if agree else (begin, end)
    low, value, high = sorted((sign * low, sign * value, sign * high))
    low, high = max(low, 0.0), min(high, most)
    return Fitted(value, low, high, high if holds_above else low, unit, ladders)


def _bracket(places: Floats, held: Bools) -> tuple[float, float]:
    """Between which steps the change lies: all below failed, all above held."""
    fails, holds = places[~held], places[held]
    below = places[places < holds.min()]
    above = places[places > fails.max()]
    low = below.max() if len(below) else holds.min() - _step(places)
    high = above.min() if len(above) else fails.max() + _step(places)
    return float(low), float(high)


def _step(places: Floats) -> float:
    """How far apart neighbouring steps lie, in the middle."""
    distinct = np.unique(places)
    return float(np.median(np.diff(distinct))) if len(distinct) > 1 else max(abs(float(distinct[0])), 1.0)


def _fit(places: Floats, held: Bools) -> tuple[float, float, float]:
    """Middle of the fitted curve and its interval, by the penalised likelihood on a grid of both parameters."""
    step, span = _step(places), float(np.ptp(places))
    middles = np.linspace(places.min() - span / 2 - step, places.max() + span / 2 + step, _MIDDLES)
    widths = np.geomspace(step / 20, 2 * max(span, step), _WIDTHS)
    distinct, which = np.unique(places, return_inverse=True)
    holds, tried = np.bincount(which, held), np.bincount(which)
    scaled = (distinct - middles[:, None, None]) / widths[:, None]  # (m, s, distinct places)
    no = -np.logaddexp(0, scaled)  # logarithms of both chances
    yes = scaled + no
    likelihood = yes @ holds + no @ (tried - holds)
    spread = np.exp(no + yes)
    moments = [spread @ (tried * distinct**power) for power in range(3)]
    information = moments[0] * moments[2] - moments[1] ** 2  # of (slope, intercept)
    penalised = likelihood + 0.5 * np.log(np.maximum(information, 1e-300))
    # As a density over (m, log s): from (slope, intercept) = (1 / s, -m / s) the area shrinks by 1 / s^2.
    density = np.exp(penalised - penalised.max()) / widths**2
    mass = density.sum(axis=1)
    share = np.cumsum(mass) / mass.sum()
    ends = np.interp([(1 - _MASS) / 2, 0.5, (1 + _MASS) / 2], share, middles)
    return float(ends[1]), float(ends[0]), float(ends[2])
