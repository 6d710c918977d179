"""Ways round what stands below: a bar leans out from its tip, bends once, and goes straight down to plate or part.

For every support point that has no straight way, many leaning ways are looked at together: several azimuths, two leans,
a ladder of distances. Rays sort them out, all at once; of what is left those that cost least are measured exactly,
against parts and against the bars that are there.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows
from lean_trellis.core.supports.bars.clearing import Stretches, crowded, stretches_of, too_near
from lean_trellis.core.supports.bars.ends.heads import HeadGrid, Heads, level_heads
from lean_trellis.core.supports.bars.ends.landing import (
    STEEPEST_LANDING,
    Stands,
    least_shaft,
    lower_heads,
    lower_stretch,
    rise_of,
    upright_of,
)
from lean_trellis.core.supports.bars.ends.tips import LEAST_SHAFT_MM, LEAST_TIP_MM, Tips
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.upright import LayerLean
from lean_trellis.core.supports.common.obstacle import (
    DOWN,
    Ground,
    Obstacle,
    clearances,
    drops_round,
    nearest_distances,
    nearest_hits,
)

_AZIMUTHS = 16
_LEAN_SHARES = (1.0, 0.6)
_LADDER_MM = (0.6, 1.2, 2.0, 3.0, 4.5, 6.5, 9.0, 12.0, 16.0, 22.0)
FARTHEST_MM = _LADDER_MM[-1]
"""No bar leans out further by itself."""
_LEAST_LEAN_DEG = 5.0
_MOST_TRIES, _LOOKED_AHEAD = 10, 12
_LEAN_COST = 0.5
"""A millimetre that leans costs so much more than an upright one, for it bends: assumed."""
_ROOM_COST = 0.25
"""Cost of a millimetre that a bar goes aside, for the room that it takes from others: assumed."""


def cost_of(leaning: Floats, upright: Floats, aside: Floats) -> Floats:
    """(k,): what ways cost, as mm of an upright bar: their lengths that lean and do not, and how far they go aside."""
    result: Floats = (1 + _LEAN_COST) * leaning + upright + _ROOM_COST * aside
    return result


@dataclass(frozen=True, eq=False)
class Leaning(Rows):
    """For some bars: whether there is a way, where it bends (n, 3), its foot (n, 3), whether that is on a part.

    Also the radius that its foot on the plate has room for, and its lower end on a part.
    """

    has_way: Bools
    bends: Floats
    bottoms: Floats
    lands: Bools
    foot_radii: Floats
    lower: Heads


@dataclass(frozen=True, eq=False)
class Candidates(Rows):
    """Ways worth a closer look, those of one bar together, the one that costs least first."""

    bar: Longs
    bend: Floats
    bottom: Floats
    normal: Floats
    lands: Bools
    length: Floats
    cost: Floats


class LeaningSearch:
    """The leaning ways of some bars from the lower ends of their tips."""

    def __init__(
        self,
        tips: Tips,
        normals: Floats,
        parameters: BarParameters,
        layer_height: float,
        obstacles: list[Obstacle],
        ground: Ground | None,
        grid: HeadGrid,
        layers: LayerLean,
    ) -> None:
        """`normals` (n, 3) are those of the surface that each holds: it leans away from there first."""
        self.tips, self.parameters, self.layer_height = tips, parameters, layer_height
        self.obstacles, self.ground, self.grid, self.layers = obstacles, ground, grid, layers
        self.heading = np.arctan2(normals[:, 1], normals[:, 0])
        self.every = self._promising()

    def chosen(self, some: Candidates, taken: Stretches) -> Leaning:
        """The first of some candidates for each bar that is free of parts, and of all bars `taken` or chosen before."""
        count, p = len(self.tips.bases), self.parameters
        leaning = Leaning(
            np.zeros(count, bool), self.tips.bases.copy(), self.tips.bases * [1, 1, 0], np.zeros(count, bool),
            np.full(count, p.foot_diameter / 2),
            level_heads(np.zeros(count), np.full(count, p.tip_diameter / 2), self.grid),
        )  # fmt: skip
        rest = some
        for _ in range(_MOST_TRIES):
            if p.bar_clearance is not None and len(taken):
                rest = self._off_others(rest, taken, p.bar_clearance)
            first = np.flatnonzero(np.append(True, np.diff(rest.bar) != 0)) if len(rest.bar) else rest.bar
            if not len(first):
                break
            tried = rest.only(first)
            way = self._measured(tried)
            free = way.has_way
            if p.bar_clearance is not None and free.any():
                mine = np.flatnonzero(free)
                stretches = self._stretches(tried.only(mine), mine)
                order = mine[np.argsort(tried.cost[mine], kind="stable")]
                free[mine] &= ~crowded(stretches, taken, p.bar_clearance, order)[mine]
                taken = Stretches.joined([taken, stretches.only(free[stretches.owners])])
            leaning = leaning.with_rows(tried.bar[free], way.only(free))
            kept = np.ones(len(rest.bar), bool)
            kept[first] = False
            rest = rest.only(kept & ~leaning.has_way[rest.bar])
        return leaning

    def _off_others(self, some: Candidates, taken: Stretches, clearance: float) -> Candidates:
        """Without those of the next few of each bar that would come too near to what is taken."""
        if not len(some.bar):
            return some
        begins = np.append(True, np.diff(some.bar) != 0)
        starts = np.flatnonzero(begins)
        number = np.arange(len(some.bar)) - starts[np.cumsum(begins) - 1]
        ahead = np.flatnonzero(number < _LOOKED_AHEAD)
        near_pairs = too_near(self._stretches(some.only(ahead), ahead), taken, clearance)
        kept = np.ones(len(some.bar), bool)
        stretches_owner = np.tile(ahead, 3)
        kept[stretches_owner[near_pairs[:, 0]]] = False
        return some.only(kept)

    def _stretches(self, some: Candidates, owners: Longs) -> Stretches:
        tips, count = self.tips.only(some.bar), len(some.bar)
        return stretches_of(
            tips.necks, tips.bases, some.bend, some.bottom, tips.heads.radii,
            np.full(count, self.parameters.shaft_diameter / 2), owners,
        )  # fmt: skip

    def _promising(self) -> Candidates:
        """All ways that rays find free, ordered by bar and by what they cost."""
        p, bases = self.parameters, self.tips.bases
        reach = p.shaft_diameter / 2 + p.part_clearance
        turns = 2 * np.pi * np.arange(_AZIMUTHS) / _AZIMUTHS
        out = np.array(_LADDER_MM)
        some: list[tuple[Longs, Floats, Floats, Floats]] = []
        for share in _LEAN_SHARES if p.lean_limit >= _LEAST_LEAN_DEG else ():
            lean = np.radians(p.lean_limit * share)
            azimuth = self.heading[:, None] + turns
            aside, down = np.sin(lean), np.full(azimuth.shape, -np.cos(lean))
            towards = np.stack([aside * np.cos(azimuth), aside * np.sin(azimuth), down], axis=2)
            free = nearest_distances(self.obstacles, np.repeat(bases, _AZIMUTHS, axis=0), towards.reshape(-1, 3))
            length = out / np.sin(lean)
            bend = bases[:, None, None] + length[:, None] * towards[:, :, None]
            room = (free.reshape(azimuth.shape)[:, :, None] > length + reach) & (bend[..., 2] > LEAST_SHAFT_MM)
            room &= self.layers.allows(towards)[:, :, None]
            bar, turn, step = np.nonzero(room)
            # Of ways as short the one nearest to the heading: the azimuth counts a little.
            cost = cost_of(length[step], np.zeros(len(step)), out[step]) + 1e-3 * np.minimum(turn, _AZIMUTHS - turn)
            some.append((bar, bend[bar, turn, step], length[step], cost))
        if not some:
            some = [(np.zeros(0, np.int64), np.zeros((0, 3)), np.zeros(0), np.zeros(0))]
        bar, bend, length, cost = (np.concatenate(column) for column in zip(*some, strict=True))
        return self._down_from(bar, bend, length, cost)

    def _down_from(self, bar: Longs, bend: Floats, length: Floats, cost: Floats) -> Candidates:
        """Those that go on down freely from their bends, to the plate or to where they may stand on a part."""
        p = self.parameters
        drop, normals = nearest_hits(self.obstacles, bend, DOWN)
        lands = drop < bend[:, 2]
        bottom = bend * [1, 1, 0]
        bottom[lands, 2] = bend[lands, 2] - drop[lands]
        height = bend[:, 2] - bottom[:, 2]
        every = Candidates(bar, bend, bottom, normals, lands, length + height, cost + height)
        least = np.where(lands, least_shaft(self.layer_height) + LEAST_TIP_MM, p.foot_height + LEAST_SHAFT_MM)
        good = height > least
        good &= np.where(lands, (normals[:, 2] >= STEEPEST_LANDING) & (p.landing != "plate_only"), True)
        if self.ground is not None:
            good &= lands | self.ground.holds(bend[:, :2], p.shaft_diameter / 2)
        every = every.only(good)
        reach = p.shaft_diameter / 2 + p.part_clearance
        height = every.bend[:, 2] - every.bottom[:, 2]
        open_height = height - np.where(every.lands, lower_stretch(p, height, upright_of(every.normal)), 0.0)
        every = every.only(drops_round(self.obstacles, every.bend, reach) > open_height)
        return every.only(np.lexsort((every.cost, every.bar)))

    def _measured(self, tried: Candidates) -> Leaning:
        """Of each way whether it is free of parts, its lower end, and the room that its foot has: exactly."""
        p = self.parameters
        height = tried.bend[:, 2] - tried.bottom[:, 2]
        stretch = np.where(tried.lands, lower_stretch(p, height, upright_of(tried.normal)), 0.0)
        lows = tried.bottom.copy()
        lows[:, 2] += np.minimum(stretch, height)
        bases = self.tips.bases[tried.bar]
        radii = _room_beside(bases, tried.bend, lows, tried.bottom, ~tried.lands, p, self.obstacles)
        free = radii >= p.shaft_diameter / 2 - 1e-9
        lands = tried.lands & free  # heads take longer than shafts
        rooms = np.minimum(0.45 * (bases[:, 2] - tried.bottom[:, 2]), 0.9 * height)
        stands = Stands.of_bars(tried.bottom, tried.normal, rooms, p)
        lower = lower_heads(stands, lands, p, self.layer_height, self.obstacles, self.grid)
        free &= ~tried.lands | (lower.fits & (rise_of(lower) + LEAST_TIP_MM <= 0.45 * height))
        return Leaning(free, tried.bend, tried.bottom, tried.lands, radii, lower)


def room_for_feet(
    bases: Floats, bends: Floats, feet: Floats, parameters: BarParameters, obstacles: Sequence[Obstacle]
) -> Floats:
    """(n,): the radius that a foot has room for; 0 where the shaft comes nearer to a part than the clearance.

    The ways go from the lower ends of tips over bends to feet on the plate, all (n, 3).
    """
    return _room_beside(bases, bends, feet, feet, np.ones(len(feet), bool), parameters, obstacles)


def _room_beside(
    bases: Floats,
    bends: Floats,
    lows: Floats,
    feet: Floats,
    stands: Bools,
    p: BarParameters,
    obstacles: Sequence[Obstacle],
) -> Floats:
    """(n,): the room of feet as above; that of a shaft where it does not stand on the plate. Shafts end at `lows`."""
    reach, shaft = p.shaft_diameter / 2 + p.part_clearance, p.shaft_diameter / 2
    foot = p.foot_diameter / 2 + p.foot_flare
    steps = bends - bases
    length = np.maximum(np.linalg.norm(steps, axis=1, keepdims=True), 1e-9)
    starts = bases + steps * np.minimum(reach / length, 0.5)
    feet = feet[stands]
    top = feet + [0, 0, p.foot_height]
    search = np.repeat([reach, foot + p.part_clearance], [2 * len(bases), len(feet)])
    away = clearances(obstacles, np.concatenate([starts, bends, feet]), np.concatenate([bends, lows, top]), search)
    count = len(bases)
    clear = (away[:count] >= reach - 1e-6) & (away[count : 2 * count] >= reach - 1e-6)
    room = np.full(count, shaft)
    room[stands] = np.clip(away[2 * count :] - p.part_clearance - p.foot_flare, 0, p.foot_diameter / 2)
    result: Floats = np.where(clear, room, 0.0)
    return result
