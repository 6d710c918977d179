"""Edges of walls that stay off a part by a gap: from column to column and side to side, not over each place alone."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.supports.common.obstacle import Obstacle, clearances_of_groups

_NEARER_MM = 0.005
"""By so much an edge may be nearer than asked."""
_TRIES, _OVERSHOOT = 8, 1.5


def off_by_a_gap(spots: Floats, follows: Bools, gap: float, obstacles: Sequence[Obstacle], *, is_below: bool) -> Floats:
    """(c,): by how much columns have to be let down, or up where they stand on a part, for their edge to keep the gap.

    `spots` (c, s, 3) are the ends of columns: in the middle of a wall, and on both its sides where it is thick;
    `follows` (c - 1,) tells where a column and the next are joined by an edge. Beyond a rim or in a valley a place may
    be on the other side of an edge of the part than the one beside it.
    """
    sign, moved = (-1.0 if is_below else 1.0), np.zeros(len(spots))
    lacks = np.ones(len(spots), bool)
    for _ in range(_TRIES):
        now = spots + np.array([0.0, 0.0, 1.0]) * moved[:, None, None]
        missing = _missing(now, follows, lacks, gap, obstacles)
        lacks = missing > _NEARER_MM
        if not lacks.any():
            break
        moved[lacks] += sign * _OVERSHOOT * missing[lacks]
        # What has not moved is looked at again where a column beside it has.
        lacks[1:] |= lacks[:-1] & follows
    return moved


def _missing(spots: Floats, follows: Bools, which: Bools, gap: float, obstacles: Sequence[Obstacle]) -> Floats:
    """(c,): by how much the edges at some columns are nearer to parts than the gap; both ends of one answer for it."""
    result = np.zeros(len(spots))
    own = np.flatnonzero(which)
    across = spots[own][:, [0, 0]], spots[own][:, [-2, -1]] if spots.shape[1] > 1 else spots[own][:, [0, 0]]
    np.maximum.at(result, own, gap - clearances_of_groups(obstacles, *across, gap).min(axis=1))
    along = np.flatnonzero(follows & (which[1:] | which[:-1]))
    if len(along):
        near = gap - clearances_of_groups(obstacles, spots[along], spots[along + 1], gap).min(axis=1)
        np.maximum.at(result, along, near)
        np.maximum.at(result, along + 1, near)
    return result
