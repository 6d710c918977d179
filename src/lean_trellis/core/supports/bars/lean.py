"""Ways round what stands below: a bar leans out from its tip, bends once, and goes straight down to the plate.

For every support point that has no straight way, many leaning ways are looked at together: several azimuths, two leans,
a ladder of distances. Rays sort them out, all at once; of what is left the ones that go out least are measured exactly.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.common.obstacle import DOWN, Ground, Obstacle, clearances, drops_round, nearest_hits

_AZIMUTHS = 16
_LEAN_SHARES = (1.0, 0.6)
_LADDER_MM = (0.6, 1.2, 2.0, 3.0, 4.5, 6.5, 9.0, 12.0, 16.0, 22.0)
FARTHEST_MM = _LADDER_MM[-1]
"""No bar leans out further by itself."""
_LEAST_LEAN_DEG = 5.0
_MOST_TRIES = 6


@dataclass(frozen=True, eq=False)
class Leaning:
    """For some bars: whether a leaning way was found, where it bends (n, 3), and the radius its foot has room for."""

    has_way: Bools
    bends: Floats
    foot_radii: Floats


@dataclass(frozen=True, eq=False)
class _Candidates(Rows):
    """Ways worth a closer look, those of one bar together, the shortest way out first."""

    bar: Longs
    bend: Floats
    out: Floats


def leaning_ways(
    bases: Floats, parameters: BarParameters, obstacles: Sequence[Obstacle], ground: Ground | None, heading: Floats
) -> Leaning:
    """Ways from the (n, 3) lower ends of tips to the plate. `heading` (n,) is the azimuth tried first, in radians."""
    count = len(bases)
    foot = np.full(count, parameters.foot_diameter / 2)
    has_way, bends = np.zeros(count, bool), bases.copy()
    if not count or parameters.lean_limit < _LEAST_LEAN_DEG:
        return Leaning(has_way, bends, foot)
    rest = _promising(bases, parameters, obstacles, ground, heading)
    for _ in range(_MOST_TRIES):
        first = np.flatnonzero(np.append(True, np.diff(rest.bar) != 0)) if len(rest.bar) else rest.bar
        if not len(first):
            break
        tried = rest.only(first)
        radii = room_for_feet(bases[tried.bar], tried.bend, tried.bend * [1, 1, 0], parameters, obstacles)
        fits = radii >= parameters.shaft_diameter / 2 - 1e-9
        good = tried.bar[fits]
        has_way[good], bends[good], foot[good] = True, tried.bend[fits], radii[fits]
        kept = np.ones(len(rest.bar), bool)
        kept[first] = False
        rest = rest.only(kept & ~has_way[rest.bar])
    return Leaning(has_way, bends, foot)


def _promising(
    bases: Floats, parameters: BarParameters, obstacles: Sequence[Obstacle], ground: Ground | None, heading: Floats
) -> _Candidates:
    """All ways that rays find free, ordered by bar and by how far they go out."""
    reach = parameters.shaft_diameter / 2 + parameters.part_clearance
    turns = 2 * np.pi * np.arange(_AZIMUTHS) / _AZIMUTHS
    every = []
    for share in _LEAN_SHARES:
        lean = np.radians(parameters.lean_limit * share)
        azimuth = heading[:, None] + turns
        aside, down = np.sin(lean), np.full(azimuth.shape, -np.cos(lean))
        towards = np.stack([aside * np.cos(azimuth), aside * np.sin(azimuth), down], axis=2)
        free, _ = nearest_hits(obstacles, np.repeat(bases, _AZIMUTHS, axis=0), towards.reshape(-1, 3))
        free = free.reshape(azimuth.shape)
        out = np.array(_LADDER_MM)
        length = out / np.sin(lean)
        bend = bases[:, None, None] + length[:, None] * towards[:, :, None]
        room = (free[:, :, None] > length + reach) & (bend[..., 2] > parameters.foot_height + 0.2)
        bar, turn, step = np.nonzero(room)
        # Of ways as short the one nearest to the heading: the azimuth counts a little.
        aside_of_it = 1e-3 * np.minimum(turn, _AZIMUTHS - turn)
        every.append(_Candidates(bar, bend[bar, turn, step], out[step] * (2 - share) + aside_of_it))
    joined = _Candidates.joined(every)
    if ground is not None:
        joined = joined.only(ground.holds(joined.bend[:, :2], parameters.shaft_diameter / 2))
    joined = joined.only(nearest_hits(obstacles, joined.bend, DOWN)[0] > joined.bend[:, 2])
    joined = joined.only(drops_round(obstacles, joined.bend, reach) > joined.bend[:, 2])
    return joined.only(np.lexsort((joined.out, joined.bar)))


def room_for_feet(
    bases: Floats, bends: Floats, feet: Floats, parameters: BarParameters, obstacles: Sequence[Obstacle]
) -> Floats:
    """(n,): the radius that a foot has room for; 0 where the shaft comes nearer to a part than the clearance.

    The ways go from the lower ends of tips over bends to feet on the plate, all (n, 3).
    """
    reach = parameters.shaft_diameter / 2 + parameters.part_clearance
    foot = parameters.foot_diameter / 2 + parameters.foot_flare
    steps = bends - bases
    length = np.maximum(np.linalg.norm(steps, axis=1, keepdims=True), 1e-9)
    starts = bases + steps * np.minimum(reach / length, 0.5)
    top = feet + [0, 0, parameters.foot_height]
    search = np.repeat([reach, reach, foot + parameters.part_clearance], len(bases))
    distance = clearances(obstacles, np.concatenate([starts, bends, feet]), np.concatenate([bends, feet, top]), search)
    leaning, upright, standing = np.split(distance, 3)
    clear = (leaning >= reach - 1e-6) & (upright >= reach - 1e-6)
    room = standing - parameters.part_clearance - parameters.foot_flare
    result: Floats = np.where(clear, np.clip(room, 0, parameters.foot_diameter / 2), 0.0)
    return result
