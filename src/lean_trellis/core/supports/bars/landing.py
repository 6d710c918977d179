"""Where a bar may stand on a part, and the lower end with which it does."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.supports.bars.fitting import heads_at, keeps_off
from lean_trellis.core.supports.bars.heads import HeadGrid, Heads, Seats, level_heads
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.tips import LEAST_TIP_MM, LEVEL_SHARE
from lean_trellis.core.supports.common.obstacle import Obstacle

STEEPEST_LANDING = float(np.cos(np.radians(60)))
"""A bar stands on a surface of the part that rises by at most 60°: assumed, as for a hand's grip on a slope."""


def lower_heads(
    bottoms: Floats,
    normals: Floats,
    lands: Bools,
    rooms: Floats,
    parameters: BarParameters,
    layer_height: float,
    obstacles: list[Obstacle],
    grid: HeadGrid,
) -> Heads:
    """The lower ends of those bars (n,) that land on a part, level ones on the plate for the others.

    A lower tip takes no more than its room (n,) above the part. One that stays off by a gap does so with its flanks,
    too, up to where the shaft keeps clear by itself.
    """
    radii = np.full(len(bottoms), parameters.tip_diameter / 2)
    heads = level_heads(np.zeros(len(bottoms)), radii, grid)
    some = np.flatnonzero(lands)
    if not len(some):
        return heads
    seats = Seats(bottoms[some], normals[some], radii[some], is_below=False)
    contact, shaft = parameters.contact_at(layer_height), parameters.shaft_diameter / 2

    def is_clear(which: Longs, lower: Heads) -> Bools:
        shafts, lengths = (np.full(len(which), one) for one in (shaft, parameters.tip_length))
        low, near = seats.places[which, 2], rooms[some[which]]
        (_, between, start), (_, wider, _) = lower_rings(lower, shafts, lengths, near, low)
        clear = start + np.minimum(shaft + parameters.part_clearance, near)
        corners = (low[:, None] + level[:, None] + np.zeros(grid.corners) for level in (between, start, clear))
        rim = lower.radii, lower.tops[:, : grid.corners]
        sides = (rim, *zip((wider, shafts, shafts), corners, strict=True))
        return keeps_off(seats.places[which, :2], sides, grid, obstacles, contact.distance)

    fitted = heads_at(seats, obstacles, contact, grid, None if contact.is_bite else is_clear)
    return heads.with_rows(some, fitted)


def lower_rings(
    lower: Heads, shafts: Floats, lengths: Floats, rooms: Floats, bottoms: Floats
) -> tuple[tuple[Floats, Floats, Floats], tuple[Floats, Floats, Floats]]:
    """Of lower ends on a part the heights (n,) over their bottoms and radii of three rings: head, middle, shaft.

    The shaft begins where the lower tip ends, but clear of the highest corner of the head and of the slope beside it.
    """
    middles, highest = lower.middles - bottoms, lower.tops.max(axis=1) - bottoms
    tips = lower.radii
    wider = np.maximum(shafts - tips, 0.0) * lower.slopes()
    start = np.minimum(
        np.maximum(lengths, highest + LEVEL_SHARE * lengths + wider), np.maximum(rooms, highest + LEAST_TIP_MM)
    )
    between = (highest + start) / 2
    share = (between - middles) / np.maximum(start - middles, 1e-9)
    return (middles, between, start), (tips, tips + share * (shafts - tips), shafts)


def rise_of(lower: Heads) -> Floats:
    """(n,): how much higher than its middle the highest corner of each lower end lies."""
    result: Floats = lower.tops.max(axis=1) - lower.middles
    return result


def least_shaft(layer_height: float) -> float:
    """The least height of a bar below its tip that still makes sense on the part."""
    return max(0.2, 2 * layer_height)


def lower_stretch(parameters: BarParameters, heights: Floats, upright: Floats) -> Floats:
    """(n,): how far above the part a shaft that stands on it has to come near it.

    It narrows to its lower tip, and is within the clearance to the slope beside: `upright` (n,) is the cosine of
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
