"""Crowns of teeth for the demo's arch: incisors, canines, premolars, molars, and stumps prepared for crowns.

A crown stands on z = 0; x runs along the arch, y outward. Sizes are `along`, `across` and `high` in mm.
"""

from __future__ import annotations

import numpy as np
from manifold3d import Manifold

from lean_trellis.core.arrays import Floats
from lean_trellis.core.demo.shapes import lofted, united

_ROOT_MM = -4.4
"""Crowns go on so far into the gum, so that none hangs over it."""
_SIDES = 34
_FINE = 26


def _ring(along: float, across: float, z: float, *, out: float = 0.0, square: float = 2.5) -> Floats:
    """(k, 3): a superellipse at a height, moved outward."""
    turn = np.linspace(0, 2 * np.pi, _SIDES, endpoint=False)
    c, s = np.cos(turn), np.sin(turn)
    x = along / 2 * np.sign(c) * np.abs(c) ** (2 / square)
    y = across / 2 * np.sign(s) * np.abs(s) ** (2 / square) + out
    return np.column_stack([x, y, np.full(_SIDES, z)])


def _lofted(*rings: Floats) -> Manifold:
    """A solid through rings that follow each other, rounded between them."""
    levels = np.arange(len(rings))
    every = np.linspace(0, len(rings) - 1, 3 * (len(rings) - 1) + 1)
    from scipy.interpolate import PchipInterpolator  # half a second less for a window that shows no teeth

    smooth = PchipInterpolator(levels, np.stack(rings))(every) if len(rings) > 2 else np.stack(rings)
    return lofted(smooth)


def _ball(at: tuple[float, float, float], size: tuple[float, float, float]) -> Manifold:
    return Manifold.sphere(1.0, _FINE).scale(size).translate(at)


def incisor(along: float, across: float, high: float) -> Manifold:
    """A blade: oval at the gum, drawn out to a straight edge that leans outward."""
    return _lofted(
        _ring(0.84 * along, across, _ROOT_MM, square=2.1),
        _ring(0.88 * along, 0.86 * across, 0.35 * high, out=0.05 * across),
        _ring(0.97 * along, 0.46 * across, 0.75 * high, out=0.12 * across),
        _ring(0.92 * along, 0.16 * across, high, out=0.15 * across, square=4.0),
    )


def canine(along: float, across: float, high: float) -> Manifold:
    """A blunt point over an oval."""
    return _lofted(
        _ring(0.86 * along, across, _ROOT_MM, square=2.1),
        _ring(0.95 * along, 0.9 * across, 0.4 * high, out=0.04 * across),
        _ring(0.78 * along, 0.56 * across, 0.76 * high, out=0.07 * across),
        _ring(0.4 * along, 0.3 * across, 0.93 * high, out=0.08 * across),
        _ring(0.1 * along, 0.1 * across, high, out=0.08 * across),
    )


def premolar(along: float, across: float, high: float) -> Manifold:
    """Two cusps, the outer one higher, with a groove between them."""
    body = _lofted(
        _ring(0.9 * along, 0.92 * across, _ROOT_MM),
        _ring(0.98 * along, across, 0.45 * high),
        _ring(0.86 * along, 0.84 * across, 0.78 * high),
    )
    tips = [(0.0, 0.2 * across, 0.56 * high, 0.44 * high), (0.0, -0.22 * across, 0.54 * high, 0.35 * high)]
    cusps = [_ball((x, y, z), (0.42 * along, 0.28 * across, rise)) for x, y, z, rise in tips]
    groove = _ball((0.0, -0.02 * across, 0.88 * high), (0.34 * along, 0.055 * across, 0.14 * high))
    return body + united(cusps) - groove


def molar(along: float, across: float, high: float) -> Manifold:
    """Four cusps round a pit, with grooves along and across."""
    body = _lofted(
        _ring(0.93 * along, 0.93 * across, _ROOT_MM, square=3.0),
        _ring(along, across, 0.45 * high, square=3.2),
        _ring(0.9 * along, 0.88 * across, 0.76 * high, square=3.0),
    )
    cusps = [
        _ball((x * along, y * across, 0.55 * high), (0.28 * along, 0.29 * across, rise * high))
        for x, y, rise in ((-0.2, 0.19, 0.43), (0.2, 0.19, 0.4), (-0.2, -0.19, 0.38), (0.2, -0.19, 0.36))
    ]
    grooves = [
        _ball((0, 0, 0.86 * high), (0.42 * along, 0.06 * across, 0.15 * high)),
        _ball((0, 0, 0.88 * high), (0.055 * along, 0.44 * across, 0.14 * high)),
        _ball((0, 0, 0.86 * high), (0.13 * along, 0.13 * across, 0.14 * high)),
    ]
    return body + united(cusps) - united(grooves)


def stump(along: float, across: float, high: float) -> Manifold:
    """Prepared for a crown: a shoulder all round, and a tapering core with a softened top."""
    return _lofted(
        _ring(0.84 * along, 0.86 * across, _ROOT_MM), _ring(0.86 * along, 0.88 * across, 0.12 * high)
    ) + _lofted(
        _ring(0.66 * along, 0.68 * across, 0.0), _ring(0.54 * along, 0.54 * across, 0.84 * high),
        _ring(0.4 * along, 0.4 * across, 0.92 * high),
    )  # fmt: skip
