"""Shapes that several demo parts are made of."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, Manifold, OpType

from lean_trellis.core.arrays import Floats


def rounded(width: float, depth: float, radius: float, sides: int = 48) -> CrossSection:
    """A rectangle round the origin with round corners."""
    inner = CrossSection.square((width - 2 * radius, depth - 2 * radius), center=True)
    return inner.offset(radius, circular_segments=sides)


def tube(path: Floats, radii: Floats, sides: int) -> Manifold:
    """Balls along a (n, 3) path, each hulled with the next: a smooth solid tube."""
    pieces = []
    for a, b, ra, rb in zip(path[:-1], path[1:], radii[:-1], radii[1:], strict=True):
        one = Manifold.sphere(float(ra), sides).translate(tuple(a.tolist()))
        other = Manifold.sphere(float(rb), sides).translate(tuple(b.tolist()))
        pieces.append(Manifold.batch_hull([one, other]))
    return Manifold.batch_boolean(pieces, OpType.Add)


def united(pieces: list[Manifold]) -> Manifold:
    """All pieces as one."""
    return Manifold.batch_boolean(pieces, OpType.Add)


def arch_places(count: int, *, reach: float = 1.0) -> Floats:
    """(count, 3): places along a dental arch (half an ellipse, 26 by 40 mm), and the direction there in degrees."""
    turn = np.linspace(np.pi * (0.5 - 0.5 * reach), np.pi * (0.5 + 0.5 * reach), count)
    x, y = 26 * np.cos(turn), 40 * np.sin(turn)
    return np.column_stack([x, y, np.degrees(np.arctan2(y / 40**2, x / 26**2))])
