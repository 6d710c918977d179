"""The purge tower: what is wiped off there at each change of material."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.layers.paths import Kind, Paths
from lean_trellis.core.layers.ways import LayerWays
from lean_trellis.core.shop.machine import Zone
from lean_trellis.core.shop.material import Constant, value_or

PURGE_MM3 = 45.0


def purge_volume(constants: Mapping[str, Constant]) -> float:
    """What is wiped off at one change, mm³."""
    return value_or(constants, "purge_volume", PURGE_MM3)


def purge_path(tower: Zone, volume: float, width: float, thickness: float) -> Paths:
    """One way to and fro over the tower that holds a volume as a bead of a width in a layer of a thickness.

    It goes over the tower again where the tower is too small for it.
    """
    length = volume / (width * thickness)
    row = max(tower.width - width, width)
    rows = max(1, int((tower.depth - width) / width) + 1)
    per_row = row + width
    needed = int(np.ceil(length / per_row)) + 1
    places = np.arange(needed) % rows
    y = tower.y + width / 2 + places * width
    left, right = tower.x + width / 2, tower.x + width / 2 + row
    points: Floats = np.empty((2 * needed, 2))
    forward = np.arange(needed) % 2 == 0
    points[0::2] = np.column_stack([np.where(forward, left, right), y])
    points[1::2] = np.column_stack([np.where(forward, right, left), y])
    steps = np.hypot(*np.diff(points, axis=0).T)
    so_far = np.cumsum(steps)
    last = int(np.searchsorted(so_far, length))
    over = (length - (so_far[last - 1] if last else 0.0)) / steps[last]
    end = points[last] + over * (points[last + 1] - points[last])
    way = np.vstack([points[: last + 1], end])
    return Paths.of_ways(LayerWays.of_rings([way], np.zeros(1, np.int64)), Kind.PURGE, width)
