"""Where a bar may stand on a part, and the lower end with which it does."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.supports.bars.fitting import heads_at
from lean_trellis.core.supports.bars.heads import HeadGrid, Heads, Seats, level_heads
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.common.obstacle import Obstacle

STEEPEST_LANDING = float(np.cos(np.radians(60)))
"""A bar stands on a surface of the part that rises by at most 60°: assumed, as for a hand's grip on a slope."""


def lower_heads(
    bottoms: Floats,
    normals: Floats,
    lands: Bools,
    parameters: BarParameters,
    layer_height: float,
    obstacles: list[Obstacle],
    grid: HeadGrid,
) -> Heads:
    """The lower ends of those bars (n,) that land on a part, level ones on the plate for the others."""
    radii = np.full(len(bottoms), parameters.tip_diameter / 2)
    heads = level_heads(np.zeros(len(bottoms)), radii, grid)
    some = np.flatnonzero(lands)
    if not len(some):
        return heads
    seats = Seats(bottoms[some], normals[some], radii[some], is_below=False)
    return heads.with_rows(some, heads_at(seats, obstacles, parameters.contact_at(layer_height), grid))


def rise_of(lower: Heads) -> Floats:
    """(n,): how much higher than its middle the highest corner of each lower end lies."""
    result: Floats = lower.tops.max(axis=1) - lower.middles
    return result


def least_shaft(layer_height: float) -> float:
    """The least height of a bar below its tip that still makes sense on the part."""
    return max(0.2, 2 * layer_height)


def lower_stretch(parameters: BarParameters, heights: Floats, upright: Floats) -> Floats:
    """(n,): how far above the part a shaft that stands on it has to come near it.

    It narrows to its lower tip, and is nearer than the clearance to the slope beside: `upright` (n,) is the cosine of
    that slope.
    """
    tip = np.minimum(parameters.tip_length, 0.45 * heights)
    reach = parameters.shaft_diameter / 2 + parameters.part_clearance
    result: Floats = np.maximum(tip, reach / upright)
    return result


def upright_of(normals: Floats) -> Floats:
    """(n,): the cosines of slopes that are stood on, none steeper than may be."""
    result: Floats = np.clip(normals[:, 2], STEEPEST_LANDING, 1.0)
    return result
