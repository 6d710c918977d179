"""Where parts lie within walls: looked for by rays from the lower edge to the upper one, bites left out."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.supports.common.obstacle import Obstacle, nearest_distances
from lean_trellis.core.supports.panels.panels import Columns, Slabs

SPARE_MM = 0.05
"""Edges may lie so far within a part before a wall counts as running through it."""
_UP = np.array([0.0, 0.0, 1.0])


def slabs_met(
    columns: Columns, slabs: Slabs, obstacles: Sequence[Obstacle], thickness: float, shares: Sequence[float]
) -> Bools:
    """(k,): slabs that a part lies in, at shares of their length, in the middle and at both sides of thick walls."""
    is_blocked = np.zeros(len(slabs), bool)
    bites = _most(slabs, np.maximum(columns.lifts, 0) + np.abs(columns.tilts).max(axis=1))
    low_bites = _most(slabs, np.maximum(-columns.low_lifts, 0) + np.abs(columns.low_tilts).max(axis=1))
    sides = (0.0,) if thickness == 0 else (-1.0, 0.0, 1.0)
    for share in shares:
        low = slabs.low[:, 0] * (1 - share) + slabs.low[:, 1] * share
        high = slabs.high[:, 0] * (1 - share) + slabs.high[:, 1] * share
        begin = low + np.where(slabs.low_bites, low_bites, 0) + SPARE_MM
        end = high - np.where(slabs.bites, bites, 0) - SPARE_MM
        place = columns.places[slabs.left] * (1 - share) + columns.places[slabs.right] * share
        across = (columns.across[slabs.left] + columns.across[slabs.right]) * (0.98 * thickness / 4)
        for side in sides:
            distance = nearest_distances(obstacles, np.column_stack([place + side * across, begin]), _UP)
            is_blocked |= distance < end - begin
    return is_blocked


def _most(slabs: Slabs, values: Floats) -> Floats:
    """(k,): the greater of what columns (c,) have at both ends of each slab."""
    result: Floats = np.maximum(values[slabs.left], values[slabs.right])
    return result
