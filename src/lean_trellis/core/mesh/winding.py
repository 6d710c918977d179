"""Inside or outside, by the winding number: robust for open and overlapping surfaces."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats, crossed


def winding_number(corners: Floats, point: Floats) -> float:
    """How many times the (m, 3, 3) triangles wind round the point; 1 inside a closed outward shell.

    Sum of signed solid angles over 4π (Van Oosterom and Strackee 1983).
    """
    a, b, c = (corners[:, i] - point for i in range(3))
    la, lb, lc = (np.linalg.norm(v, axis=1) for v in (a, b, c))
    numerator = np.einsum("ij,ij->i", a, crossed(b, c))
    denominator = (
        la * lb * lc
        + np.einsum("ij,ij->i", a, b) * lc
        + np.einsum("ij,ij->i", b, c) * la
        + np.einsum("ij,ij->i", c, a) * lb
    )
    return float(np.arctan2(numerator, denominator).sum() / (2 * np.pi))


def contains_point(corners: Floats, point: Floats) -> bool:
    """Whether the point is inside, whichever way the surface is turned."""
    return abs(winding_number(corners, point)) > 0.5
