"""The way of each bar from its support point down, by arrays: rays first, then an exact test; straight if it can be."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from lean_trellis.core.arrays import Bools, Bytes, Floats, Longs, Rows
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bars.heads import HeadGrid, Heads, Seats, heads_at, level_heads
from lean_trellis.core.supports.bars.holds import HoldPoints
from lean_trellis.core.supports.bars.lean import leaning_ways
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.struts import BLOCKED, OFF_PLATE, ON_PART, ON_PLATE, TOO_NEAR, TOO_SHORT, TOO_STEEP
from lean_trellis.core.supports.common.contacts import Contact
from lean_trellis.core.supports.common.obstacle import DOWN, Ground, Obstacle, clearances, drops_round, nearest_hits

LEAST_TIP_MM, _LEAST_SHAFT_MM = 0.05, 0.2
_SAME_GAP_MM = 0.01
LEVEL_SHARE = 0.3
"""A tip begins no nearer below the lowest corner of its head than this share of its length."""
_STEEPEST_LANDING = np.cos(np.radians(60))
"""A bar stands on a surface of the part that rises by at most 60°: assumed, as for a hand's grip on a slope."""


@dataclass(frozen=True, eq=False)
class Ways(Rows):
    """The way of each support point.

    The `necks` (n, 3) and `tip_ends`, `tip_bases`, the `bends` between tip and foot, the `bottoms` (n, 3), what each
    stands on, the radius that its foot has room for, and why there is no way (`faults`, 0 where there is one). `upper`
    are the heads of tips, `lower` the lower ends of those that stand on a part; level ones at 0 for the others.
    """

    necks: Floats
    tip_ends: Floats
    tip_bases: Floats
    bends: Floats
    bottoms: Floats
    landings: Bytes
    foot_radii: Floats
    faults: Bytes
    upper: Heads
    lower: Heads


def find_ways(
    holds: HoldPoints,
    parameters: BarParameters,
    layer_height: float,
    obstacles: list[Obstacle],
    ground: Ground | None = None,
    watch: Watch = UNWATCHED,
    *,
    grid: HeadGrid | None = None,
) -> Ways:
    """The tip along the normal as far as the lean limit lets it, then straight down where that way is free.

    Where it is not, a leaning way to the plate; where there is none, on the part if the landing allows it.
    """
    grid = HeadGrid.of(parameters.sides, parameters.tip_diameter) if grid is None else grid
    tips = _Tips.of(holds, parameters, layer_height, obstacles, grid)
    watch.at(0.3, "casting rays")
    drop, normals = nearest_hits(obstacles, tips.bases, DOWN)
    height = tips.bases[:, 2]
    to_part = drop < height
    bottoms = tips.bases.copy()
    bottoms[:, 2] = np.where(to_part, height - drop, 0)
    faults = np.zeros(len(holds), np.uint8)
    if parameters.landing == "plate_only":
        faults[to_part] = BLOCKED
    faults[to_part & (faults == 0) & (normals[:, 2] < _STEEPEST_LANDING)] = TOO_STEEP
    least = _least_shaft(layer_height)
    faults[(faults == 0) & (height - bottoms[:, 2] < np.where(to_part, least, 0.05))] = TOO_SHORT
    faults[(faults == 0) & tips.blocked] = TOO_SHORT
    faults[~tips.heads.fits] = TOO_NEAR
    lower = _landings(bottoms, normals, to_part & (faults == 0), parameters, layer_height, obstacles, grid)
    faults[(faults == 0) & to_part & ~lower.fits] = TOO_NEAR
    faults[(faults == 0) & (_rise_of(lower) + LEAST_TIP_MM > 0.45 * (height - bottoms[:, 2]))] = TOO_SHORT
    watch.at(0.5, "looking for clearance")
    upright = np.where(to_part, np.clip(normals[:, 2], _STEEPEST_LANDING, 1.0), 1.0)
    feet = _fit_between(faults, tips, bottoms, to_part, upright, parameters, obstacles)
    if ground is not None:
        off = (faults == 0) & ~to_part & ~ground.holds(bottoms[:, :2], parameters.shaft_diameter / 2)
        faults[off] = OFF_PLATE
    strays = (faults == OFF_PLATE) & (
        np.zeros(len(holds), bool) if ground is None else ground.is_beyond(bottoms[:, :2])
    )
    bends = bottoms + 0.5 * (tips.bases - bottoms)
    watch.at(0.7, "leaning round what is in the way")
    wants_plate = to_part if parameters.landing == "plate_first" else np.zeros(len(holds), bool)
    leans = np.flatnonzero(((faults > 0) | wants_plate) & ~tips.blocked & tips.heads.fits)
    heading = np.arctan2(holds.normals[leans, 1], holds.normals[leans, 0])
    leaning = leaning_ways(tips.bases[leans], parameters, list(obstacles), ground, heading)
    good = leans[leaning.has_way]
    faults[good], to_part[good] = 0, False
    bends[good] = leaning.bends[leaning.has_way]
    bottoms[good] = bends[good] * [1, 1, 0]
    feet[good] = leaning.foot_radii[leaning.has_way]
    # Where the part itself is beyond the plate, that is what is wrong: bars show what would be, a finding stops it.
    faults[strays & (faults == OFF_PLATE)] = 0
    landings = np.where(to_part, ON_PART, ON_PLATE).astype(np.uint8)
    return Ways(tips.necks, tips.ends, tips.bases, bends, bottoms, landings, feet, faults, tips.heads, lower)


def _landings(
    bottoms: Floats,
    normals: Floats,
    lands: Bools,
    parameters: BarParameters,
    layer_height: float,
    obstacles: list[Obstacle],
    grid: HeadGrid,
) -> Heads:
    """The lower ends of those that land on a part, level ones on the plate for the others."""
    radii = np.full(len(bottoms), parameters.tip_diameter / 2)
    heads = level_heads(np.zeros(len(bottoms)), radii, grid)
    some = np.flatnonzero(lands)
    if len(some):
        seats = Seats(bottoms[some], normals[some], radii[some], is_below=False)
        found = heads_at(seats, obstacles, parameters.contact_at(layer_height), grid)
        for key in ("tops", "necks", "radii", "fits"):
            getattr(heads, key)[some] = getattr(found, key)
    return heads


def _rise_of(lower: Heads) -> Floats:
    """(n,): how much higher than its middle the highest corner of each lower end lies."""
    result: Floats = lower.tops.max(axis=1) - lower.middles
    return result


@dataclass(frozen=True, eq=False)
class _Tips:
    necks: Floats
    ends: Floats
    bases: Floats
    heads: Heads
    blocked: Bools

    @classmethod
    def of(
        cls, holds: HoldPoints, parameters: BarParameters, layer_height: float, obstacles: list[Obstacle],
        grid: HeadGrid,
    ) -> _Tips:  # fmt: skip
        """Tips in the direction of the surface, or straight where something is in their way."""
        length, tip = parameters.tip_length, parameters.tip_diameter / 2
        contact = parameters.contact_at(layer_height, parameters.dense_layers if parameters.contact == "gap" else 0)
        seats = Seats(holds.places, holds.normals, np.full(len(holds), tip), is_below=True)
        if parameters.contact == "gap":
            return cls._off_by_a_gap(seats, parameters, contact, obstacles, grid)
        heads = heads_at(seats, obstacles[:1], contact, grid)
        ends = np.column_stack([holds.places[:, :2], heads.middles])
        lowest = heads.necks.min(axis=1)
        directions = lean_directions(holds.normals, parameters.lean_limit)
        skin = 1e-3
        free, _ = nearest_hits(obstacles, holds.places + directions * skin, directions)
        directions = np.where((free < length + parameters.shaft_diameter / 2)[:, None], DOWN, directions)
        room, _ = nearest_hits(obstacles, holds.places + DOWN * skin, DOWN)
        room = np.minimum(room, holds.places[:, 2])
        short = np.clip(room * 0.45, 0, length)
        needed = holds.places[:, 2] - lowest + LEAST_TIP_MM
        directions = np.where((short * -directions[:, 2] < needed)[:, None], DOWN, directions)
        bases = holds.places + directions * short[:, None]
        is_short = (short < LEAST_TIP_MM) | (short * -directions[:, 2] < needed)
        return cls(holds.places, ends, bases, heads, is_short)

    @classmethod
    def _off_by_a_gap(
        cls, seats: Seats, parameters: BarParameters, contact: Contact, obstacles: list[Obstacle], grid: HeadGrid
    ) -> _Tips:
        """Upright tips that stay off the part by the gap: their heads, and the cones and shafts below them."""
        shaft, reach = parameters.shaft_diameter / 2, parameters.shaft_diameter / 2 + parameters.part_clearance

        def is_clear(some: Seats, heads: Heads) -> Bools:
            bases = _upright_bases(some, heads, parameters)
            level = np.repeat(bases[:, 2, None], grid.corners, axis=1)
            low = level - np.minimum(reach, 0.5 * np.maximum(level, 0.0))
            wide, narrow = heads.radii, np.full(len(bases), shaft)
            sides = ((wide, heads.tops[:, : grid.corners]), (wide, heads.necks), (narrow, level), (narrow, low))
            lines = np.stack([
                np.concatenate([some.places[:, None, :2] + size[:, None, None] * grid.circle, z[..., None]], axis=2)
                for size, z in sides
            ]).reshape(4, -1, 3)  # fmt: skip
            starts, stops = lines[:-1].reshape(-1, 3), lines[1:].reshape(-1, 3)
            away = clearances(obstacles[:1], starts, stops, np.full(len(starts), contact.distance))
            near = away.reshape(3, len(bases), grid.corners) < contact.distance - _SAME_GAP_MM
            free: Bools = ~np.logical_or.reduce(near, axis=(0, 2)) & (bases[:, 2] > _LEAST_SHAFT_MM)
            return free

        heads = heads_at(seats, obstacles[:1], contact, grid, is_clear)
        ends = np.column_stack([seats.places[:, :2], heads.middles])
        bases = _upright_bases(seats, heads, parameters)
        return cls(ends + DOWN * contact.dense, ends, bases, heads, bases[:, 2] < 0)


def _upright_bases(seats: Seats, heads: Heads, parameters: BarParameters) -> Floats:
    """(n, 3): where tips straight below their heads begin.

    A head wider than its shaft hangs over nowhere more than the tip's length says, or, low over the plate, than a bar
    may lean; under a narrower one the shaft keeps off the slope.
    """
    shaft, length = parameters.shaft_diameter / 2, parameters.tip_length
    lowest, middle = heads.necks.min(axis=1), heads.necks.mean(axis=1)
    wider = np.maximum(shaft - heads.radii, 0.0) * heads.slopes()
    low = np.where(heads.radii > shaft, lowest, np.minimum(lowest + (1 - LEVEL_SHARE) * length, middle))
    steep = np.tan(np.radians(max(parameters.lean_limit, 1.0)))
    least = np.maximum((heads.radii - shaft) / steep, LEVEL_SHARE * length)
    over_foot = np.minimum(lowest - wider - np.minimum(least, length), parameters.foot_height + _LEAST_SHAFT_MM)
    result: Floats = np.column_stack([seats.places[:, :2], np.maximum(low - wider - length, over_foot)])
    return result


def nearest_with_way(
    wanted: HoldPoints,
    offered: HoldPoints,
    parameters: BarParameters,
    layer_height: float,
    obstacles: list[Obstacle],
    ground: Ground | None = None,
) -> Longs:
    """(n,): for each wanted support point the nearest offered in its region that has a clear path; -1 for none.

    Looked for no farther away than 1.5 times the spacing.
    """
    result = np.full(len(wanted), -1, np.int64)
    if not len(wanted) or not len(offered):
        return result
    near = cKDTree(wanted.places).query(offered.places)[0] <= 1.5 * parameters.spacing
    some = np.flatnonzero(near)
    ways = find_ways(offered.only(some), parameters, layer_height, obstacles, ground)
    good = some[ways.faults == 0]
    if len(good):
        apart = [np.column_stack([entry.places, entry.regions * 1e5]) for entry in (offered.only(good), wanted)]
        away, which = cKDTree(apart[0]).query(apart[1], distance_upper_bound=1.5 * parameters.spacing)
        has_way = np.isfinite(away)
        result[has_way] = good[which[has_way]]
    return result


def lean_directions(normals: Floats, lean_limit: float) -> Floats:
    """(n, 3): the normals, turned towards straight down until they lean no more than the limit."""
    level = np.hypot(normals[:, 0], normals[:, 1])
    lean = np.minimum(np.arctan2(level, -normals[:, 2]), np.radians(lean_limit))
    sideways = np.divide(normals[:, :2], level[:, None], out=np.zeros((len(normals), 2)), where=level[:, None] > 1e-12)
    result: Floats = np.column_stack([sideways * np.sin(lean)[:, None], -np.cos(lean)])
    return result


def _least_shaft(layer_height: float) -> float:
    """The least height of a bar below its tip that still makes sense on the part."""
    return max(0.2, 2 * layer_height)


def _lower_tip(parameters: BarParameters, heights: Floats) -> Floats:
    """Height over which a bar on the part narrows to its lower tip."""
    return np.minimum(parameters.tip_length, 0.45 * heights)


def _fit_between(
    faults: Bytes,
    tips: _Tips,
    bottoms: Floats,
    to_part: Bools,
    upright: Floats,
    parameters: BarParameters,
    obstacles: list[Obstacle],
) -> Floats:
    """Mark ways whose shaft comes nearer to a part than the clearance; give the radius each foot has room for.

    Rays round the shaft sort out most, exact distances of shafts and feet decide.
    """
    reach = parameters.shaft_diameter / 2 + parameters.part_clearance
    shaft = parameters.shaft_diameter / 2
    foot = parameters.foot_diameter / 2 + parameters.foot_flare
    tops, lows = _open_stretch(tips, bottoms, to_part, reach / upright, parameters)
    candidates = np.flatnonzero(faults == 0)
    room = (tops - lows)[candidates, 2]
    struck = drops_round(obstacles, tops[candidates], reach) < room - 1e-6
    faults[candidates[struck]] = TOO_NEAR
    winners = candidates[~struck]
    standing = candidates[~struck & ~to_part[candidates]]
    starts = np.concatenate([tops[winners], bottoms[standing]])
    stops = np.concatenate([lows[winners], bottoms[standing] + [0, 0, parameters.foot_height]])
    search = np.repeat([reach, foot + parameters.part_clearance], [len(winners), len(standing)])
    distance = clearances(obstacles, starts, stops, search)
    faults[winners[distance[: len(winners)] < reach - 1e-6]] = TOO_NEAR
    radii = np.full(len(faults), parameters.foot_diameter / 2)
    room = distance[len(winners) :] - parameters.part_clearance - parameters.foot_flare
    radii[standing] = np.clip(room, shaft, parameters.foot_diameter / 2)
    return radii


def _open_stretch(
    tips: _Tips, bottoms: Floats, to_part: Bools, reach: Floats, parameters: BarParameters
) -> tuple[Floats, Floats]:
    """The stretch of each shaft that must be clear: without its ends, which have to come near to what they meet.

    `reach` (n,) is how far along z from a surface it has its clearance from that.
    """
    height = (tips.bases - bottoms)[:, 2]
    tops, lows = tips.bases.copy(), bottoms.copy()
    tops[:, 2] -= np.minimum(reach, 0.5 * height)
    lows[:, 2] += np.where(to_part, np.maximum(_lower_tip(parameters, height), reach), 0)
    lows[:, 2] = np.minimum(lows[:, 2], tops[:, 2])
    return tops, lows
