"""Tips of bars: where each meets the part, in which direction it leaves it, and where its shaft begins."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows
from lean_trellis.core.supports.bars.ends.fitting import heads_at, keeps_off
from lean_trellis.core.supports.bars.ends.heads import HeadGrid, Heads, Seats
from lean_trellis.core.supports.bars.holds import SupportPoints
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.upright import LayerLean
from lean_trellis.core.supports.common.contacts import Contact
from lean_trellis.core.supports.common.obstacle import DOWN, Obstacle, nearest_distances

LEAST_TIP_MM, LEAST_SHAFT_MM = 0.05, 0.2
LEVEL_SHARE = 0.3
"""A tip begins no nearer below the lowest corner of its head than this share of its length."""


@dataclass(frozen=True, eq=False)
class Tips(Rows):
    """Tips of bars: `necks` and `ends` (n, 3) at the part, `bases` (n, 3) where shafts begin, and their heads.

    Those `blocked` (n,) have no room for a tip.
    """

    necks: Floats
    ends: Floats
    bases: Floats
    heads: Heads
    blocked: Bools

    @classmethod
    def of(
        cls, holds: SupportPoints, parameters: BarParameters, layer_height: float, obstacles: list[Obstacle],
        grid: HeadGrid, layers: LayerLean,
    ) -> Tips:  # fmt: skip
        """Tips in the direction of the surface, as far as the limit lets them, or straight where that is not free."""
        tip = parameters.tip_diameter / 2
        contact = parameters.contact_at(layer_height, parameters.dense_layers if parameters.contact == "gap" else 0)
        seats = Seats(holds.places, holds.normals, np.full(len(holds), tip), is_below=True)
        if parameters.contact == "gap":
            return cls._off_by_a_gap(seats, parameters, contact, obstacles, grid)
        heads = heads_at(seats, obstacles[:1], contact, grid)
        directions = lean_directions(holds.normals, parameters.lean_limit)
        directions = np.where(layers.allows(directions)[:, None], directions, DOWN)
        return cls._in_directions(holds.places, heads, directions, parameters, obstacles)

    def turned(self, directions: Floats, parameters: BarParameters, obstacles: list[Obstacle]) -> Tips:
        """Tips with the same heads that bite, in other directions (n, 3); straight where one is not free."""
        return self._in_directions(self.necks, self.heads, directions, parameters, obstacles)

    @classmethod
    def _in_directions(
        cls, places: Floats, heads: Heads, directions: Floats, parameters: BarParameters, obstacles: list[Obstacle]
    ) -> Tips:
        length = parameters.tip_length
        ends = np.column_stack([places[:, :2], heads.middles])
        lowest = heads.necks.min(axis=1)
        skin = 1e-3
        free = nearest_distances(obstacles, places + directions * skin, directions)
        directions = np.where((free < length + parameters.shaft_diameter / 2)[:, None], DOWN, directions)
        room = nearest_distances(obstacles, places + DOWN * skin, DOWN)
        room = np.minimum(room, places[:, 2])
        short = np.clip(room * 0.45, 0, length)
        needed = places[:, 2] - lowest + LEAST_TIP_MM
        directions = np.where((short * -directions[:, 2] < needed)[:, None], DOWN, directions)
        bases = places + directions * short[:, None]
        is_short = (short < LEAST_TIP_MM) | (short * -directions[:, 2] < needed)
        return cls(places, ends, bases, heads, is_short)

    @classmethod
    def _off_by_a_gap(
        cls, seats: Seats, parameters: BarParameters, contact: Contact, obstacles: list[Obstacle], grid: HeadGrid
    ) -> Tips:
        """Upright tips that stay off the part by the gap: their heads, and the cones and shafts below them."""
        shaft, reach = parameters.shaft_diameter / 2, parameters.shaft_diameter / 2 + parameters.part_clearance

        def is_clear(which: Longs, heads: Heads) -> Bools:
            bases = _upright_bases(seats.places[which], heads, parameters)
            level = np.repeat(bases[:, 2, None], grid.corners, axis=1)
            low = level - np.minimum(reach, 0.5 * np.maximum(level, 0.0))
            wide, narrow = heads.radii, np.full(len(bases), shaft)
            sides = ((narrow, low), (narrow, level), (wide, heads.necks), (wide, heads.tops[:, : grid.corners]))
            off = keeps_off(seats.places[which, :2], sides, grid, obstacles[:1], contact.distance)
            return off & (bases[:, 2] > LEAST_SHAFT_MM)

        heads = heads_at(seats, obstacles[:1], contact, grid, is_clear)
        ends = np.column_stack([seats.places[:, :2], heads.middles])
        bases = _upright_bases(seats.places, heads, parameters)
        return cls(ends + DOWN * contact.dense, ends, bases, heads, bases[:, 2] < 0)


def _upright_bases(places: Floats, heads: Heads, parameters: BarParameters) -> Floats:
    """(n, 3): where tips straight below their heads at (n, 3) places begin.

    A head wider than its shaft hangs over nowhere more than the tip's length says, or, low over the plate, than a bar
    may lean; under a narrower one the shaft keeps off the slope.
    """
    shaft, length = parameters.shaft_diameter / 2, parameters.tip_length
    lowest, middle = heads.necks.min(axis=1), heads.necks.mean(axis=1)
    wider = np.maximum(shaft - heads.radii, 0.0) * heads.slopes()
    low = np.where(heads.radii > shaft, lowest, np.minimum(lowest + (1 - LEVEL_SHARE) * length, middle))
    steep = np.tan(np.radians(max(parameters.lean_limit, 1.0)))
    least = np.maximum((heads.radii - shaft) / steep, LEVEL_SHARE * length)
    over_foot = np.minimum(lowest - wider - np.minimum(least, length), parameters.foot_height + LEAST_SHAFT_MM)
    result: Floats = np.column_stack([places[:, :2], np.maximum(low - wider - length, over_foot)])
    return result


def lean_directions(normals: Floats, lean_limit: float) -> Floats:
    """(n, 3): the normals, turned towards straight down until they lean no more than the limit."""
    level = np.hypot(normals[:, 0], normals[:, 1])
    lean = np.minimum(np.arctan2(level, -normals[:, 2]), np.radians(lean_limit))
    sideways = np.divide(normals[:, :2], level[:, None], out=np.zeros((len(normals), 2)), where=level[:, None] > 1e-12)
    result: Floats = np.column_stack([sideways * np.sin(lean)[:, None], -np.cos(lean)])
    return result
