"""Where a bar may stand on a part, and the lower end with which it does."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows
from lean_trellis.core.supports.bars.ends.fitting import heads_at, keeps_off
from lean_trellis.core.supports.bars.ends.heads import HeadGrid, Heads, Seats, level_heads
from lean_trellis.core.supports.bars.ends.tips import LEAST_TIP_MM, LEVEL_SHARE
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.common.obstacle import Obstacle

STEEPEST_LANDING = float(np.cos(np.radians(60)))
"""A bar stands on a surface of the part that rises by at most 60°: assumed, as for a hand's grip on a slope."""


@dataclass(frozen=True, eq=False)
class Stands(Rows):
    """What is to stand on a part, or on the plate: bars or trunks, at `bottoms` (n, 3) with the `normals` (n, 3) there.

    Their lower ends have the radii `tips` (n,) and widen to those of `shafts` (n,) over `lengths` (n,), but take no
    more than their `rooms` (n,) above the part.
    """

    bottoms: Floats
    normals: Floats
    rooms: Floats
    tips: Floats
    shafts: Floats
    lengths: Floats

    def __len__(self) -> int:
        return len(self.bottoms)

    @classmethod
    def of_bars(cls, bottoms: Floats, normals: Floats, rooms: Floats, p: BarParameters) -> Stands:
        """Bars, all alike."""
        sizes = (np.full(len(bottoms), size) for size in (p.tip_diameter / 2, p.shaft_diameter / 2, p.tip_length))
        return cls(bottoms, normals, rooms, *sizes)

    @classmethod
    def of_trunks(
        cls, tops: Floats, grounds: Floats, normals: Floats, radii: Floats, feet: Floats, p: BarParameters
    ) -> Stands:
        """Trunks of `radii` (n,) from their tops (n, 3) straight down to heights `grounds` (n,), with feet (n,)."""
        rooms = np.maximum(0.45 * (tops[:, 2] - grounds), 0.0)
        lengths = np.minimum(np.maximum(p.tip_length, radii + p.part_clearance), rooms)
        return cls(np.column_stack([tops[:, :2], grounds]), normals, rooms, feet, radii, lengths)


def lower_heads(
    stands: Stands,
    lands: Bools,
    parameters: BarParameters,
    layer_height: float,
    obstacles: Sequence[Obstacle],
    grid: HeadGrid,
) -> Heads:
    """The lower ends of those (n,) that land on a part, level ones on the plate for the others.

    One that stays off by a gap does so with its flanks, too, up to where the shaft keeps clear by itself.
    """
    heads = level_heads(np.zeros(len(stands)), stands.tips, grid)
    if not lands.any():
        return heads
    some, contact = stands.only(lands), parameters.contact_at(layer_height)
    seats = Seats(some.bottoms, some.normals, some.tips, is_below=False)

    def is_clear(which: Longs, lower: Heads) -> Bools:
        mine = some.only(which)
        low, near, shafts = mine.bottoms[:, 2], mine.rooms, mine.shafts
        (_, between, start), (_, wider, _) = lower_rings(lower, shafts, mine.lengths, near, low)
        clear = start + np.minimum(shafts + parameters.part_clearance, near)
        corners = (low[:, None] + level[:, None] + np.zeros(grid.corners) for level in (between, start, clear))
        rim = lower.radii, lower.tops[:, : grid.corners]
        sides = (rim, *zip((wider, shafts, shafts), corners, strict=True))
        return keeps_off(seats.places[which, :2], sides, grid, obstacles, contact.distance)

    fitted = heads_at(seats, obstacles, contact, grid, None if contact.is_bite else is_clear)
    return heads.with_rows(lands, fitted)


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
