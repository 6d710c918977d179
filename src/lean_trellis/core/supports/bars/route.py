"""The way of each bar from its support point down, by arrays: rays first, then an exact test; straight if it can be."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from lean_trellis.core.arrays import Bools, Bytes, Floats, Longs, Rows
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bars.holds import HoldPoints
from lean_trellis.core.supports.bars.lean import leaning_ways
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.struts import BLOCKED, OFF_PLATE, ON_PART, ON_PLATE, TOO_NEAR, TOO_SHORT, TOO_STEEP
from lean_trellis.core.supports.common.obstacle import DOWN, Ground, Obstacle, clearances, drops_round, nearest_hits

_STEEPEST_LANDING = np.cos(np.radians(60))
"""A bar stands on a surface of the part that rises by at most 60°: assumed, as for a hand's grip on a slope."""


@dataclass(frozen=True, eq=False)
class Ways(Rows):
    """The way of each support point.

    The `necks` (n, 3) and `tip_ends`, `tip_bases`, the `bends` between tip and foot, the `bottoms` (n, 3), what each
    stands on, the radius that its foot has room for, and why there is no way (`faults`, 0 where there is one).
    """

    necks: Floats
    tip_ends: Floats
    tip_bases: Floats
    bends: Floats
    bottoms: Floats
    landings: Bytes
    foot_radii: Floats
    faults: Bytes


def find_ways(
    holds: HoldPoints,
    parameters: BarParameters,
    layer_height: float,
    obstacles: list[Obstacle],
    ground: Ground | None = None,
    watch: Watch = UNWATCHED,
) -> Ways:
    """The tip along the normal as far as the lean limit lets it, then straight down where that way is free.

    Where it is not, a leaning way to the plate; where there is none, on the part if the landing allows it.
    """
    tips = _Tips.of(holds, parameters, layer_height, obstacles)
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
    watch.at(0.5, "looking for clearance")
    feet = _fit_between(faults, tips, bottoms, to_part, parameters, obstacles)
    if ground is not None:
        off = (faults == 0) & ~to_part & ~ground.holds(bottoms[:, :2], parameters.shaft_diameter / 2)
        faults[off] = OFF_PLATE
    strays = (faults == OFF_PLATE) & (
        np.zeros(len(holds), bool) if ground is None else ground.is_beyond(bottoms[:, :2])
    )
    bends = bottoms + 0.5 * (tips.bases - bottoms)
    watch.at(0.7, "leaning round what is in the way")
    wants_plate = to_part if parameters.landing == "plate_first" else np.zeros(len(holds), bool)
    leans = np.flatnonzero(((faults > 0) | wants_plate) & ~tips.blocked)
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
    return Ways(tips.necks, tips.ends, tips.bases, bends, bottoms, landings, feet, faults)


@dataclass(frozen=True, eq=False)
class _Tips:
    necks: Floats
    ends: Floats
    bases: Floats
    blocked: Bools

    @classmethod
    def of(cls, holds: HoldPoints, parameters: BarParameters, layer_height: float, obstacles: list[Obstacle]) -> _Tips:
        """Tips in the direction of the surface, or straight where something is in their way."""
        length = parameters.tip_length
        if parameters.contact == "gap":
            ends = holds.places + DOWN * parameters.gap_layers * layer_height
            necks = ends + DOWN * parameters.dense_layers * layer_height
            bases = necks + DOWN * length
            return cls(necks, ends, bases, bases[:, 2] < 0)
        directions = lean_directions(holds.normals, parameters.lean_limit)
        skin = 1e-3
        free, _ = nearest_hits(obstacles, holds.places + directions * skin, directions)
        directions = np.where((free < length + parameters.shaft_diameter / 2)[:, None], DOWN, directions)
        room, _ = nearest_hits(obstacles, holds.places + DOWN * skin, DOWN)
        room = np.minimum(room, holds.places[:, 2])
        short = np.clip(room * 0.45, 0, length)
        ends = holds.places - directions * parameters.bite_depth
        bases = holds.places + directions * short[:, None]
        return cls(holds.places, ends, bases, short < 0.05)


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
    parameters: BarParameters,
    obstacles: list[Obstacle],
) -> Floats:
    """Mark ways whose shaft comes nearer to a part than the clearance; give the radius each foot has room for.

    Rays round the shaft sort out most, exact distances of shafts and feet decide.
    """
    reach = parameters.shaft_diameter / 2 + parameters.part_clearance
    shaft = parameters.shaft_diameter / 2
    foot = parameters.foot_diameter / 2 + parameters.foot_flare
    tops, lows = _open_stretch(tips, bottoms, to_part, parameters, reach)
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
    tips: _Tips, bottoms: Floats, to_part: Bools, parameters: BarParameters, reach: float
) -> tuple[Floats, Floats]:
    """The stretch of each shaft that must be clear: without the tips, which have to come near."""
    height = (tips.bases - bottoms)[:, 2]
    tops, lows = tips.bases.copy(), bottoms.copy()
    tops[:, 2] -= np.minimum(reach, 0.5 * height)
    lows[:, 2] += np.where(to_part, _lower_tip(parameters, height) + reach * 0.5, 0)
    lows[:, 2] = np.minimum(lows[:, 2], tops[:, 2])
    return tops, lows
