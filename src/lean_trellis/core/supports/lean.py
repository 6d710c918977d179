"""Ways round what stands below: a bar leans out from its tip, bends once, and goes straight down to the plate.

For every hold point that has no straight way, many leaning ways are looked at together: several azimuths, two leans,
a ladder of distances. Rays sort them out, all at once; of what is left the ones that go out least are measured exactly.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.mesh.distance import segment_clearances
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.supports.bar_parameters import BarParameters

_AZIMUTHS = 16
_LEAN_SHARES = (1.0, 0.6)
_LADDER_MM = (0.6, 1.2, 2.0, 3.0, 4.5, 6.5, 9.0, 12.0, 16.0, 22.0)
_LEAST_LEAN_DEG = 5.0
_MOST_TRIES = 6
_RIM_RAYS = 8
_DOWN = np.array([0.0, 0.0, -1.0])


class Blocking(Protocol):
    """A part in the way."""

    @property
    def placed(self) -> Mesh:
        """Its mesh as it stands."""

    def first_hits(self, origins: Floats, directions: Floats) -> tuple[Floats, Floats]:
        """Distance along each ray, and the normals there."""


@dataclass(frozen=True)
class Ground:
    """Where bars may stand: on the plate, off the zones that are kept free. On a belt the length does not end."""

    machine: Machine

    def _excess(self, feet: Floats) -> Floats:
        if self.machine.is_belt:
            beyond: Floats = np.abs(feet[:, 0] - self.machine.plate.width / 2) - self.machine.plate.width / 2
            return beyond
        return self.machine.plate.excess(feet)

    def is_beyond(self, feet: Floats) -> Bools:
        """(n,): whether each (n, 2) place is beyond the plate's edge."""
        result: Bools = self._excess(feet) > 0
        return result

    def holds(self, feet: Floats, radius: float) -> Bools:
        """(n,): whether a foot of a radius may stand at each (n, 2) place."""
        free: Bools = self._excess(feet) <= -radius + 1e-9
        for zone in self.machine.zones:
            low = np.array([zone.x, zone.y]) - radius
            high = np.array([zone.x + zone.width, zone.y + zone.depth]) + radius
            free &= ~((feet > low) & (feet < high)).all(axis=1)
        return free


@dataclass(frozen=True, eq=False)
class Leaning:
    """For some bars: whether a leaning way was found, where it bends (n, 3), and the radius its foot has room for."""

    found: Bools
    bends: Floats
    foot_radii: Floats


@dataclass(frozen=True, eq=False)
class _Candidates:
    """Ways worth a closer look, those of one bar together, the shortest way out first."""

    bar: Longs
    bend: Floats
    out: Floats

    def only(self, chosen: Bools | Longs) -> _Candidates:
        return _Candidates(self.bar[chosen], self.bend[chosen], self.out[chosen])


def leaning_ways(
    bases: Floats, parameters: BarParameters, obstacles: list[Blocking], ground: Ground | None, heading: Floats
) -> Leaning:
    """Ways from the (n, 3) lower ends of tips to the plate. `heading` (n,) is the azimuth tried first, in radians."""
    count = len(bases)
    foot = np.full(count, parameters.foot_diameter / 2)
    found, bends = np.zeros(count, bool), bases.copy()
    if not count or parameters.lean_limit < _LEAST_LEAN_DEG:
        return Leaning(found, bends, foot)
    rest = _promising(bases, parameters, obstacles, ground, heading)
    for _ in range(_MOST_TRIES):
        first = np.flatnonzero(np.append(True, np.diff(rest.bar) != 0)) if len(rest.bar) else rest.bar
        if not len(first):
            break
        tried = rest.only(first)
        radii = _room(bases[tried.bar], tried.bend, parameters, obstacles)
        fits = radii >= parameters.shaft_diameter / 2 - 1e-9
        good = tried.bar[fits]
        found[good], bends[good], foot[good] = True, tried.bend[fits], radii[fits]
        kept = np.ones(len(rest.bar), bool)
        kept[first] = False
        rest = rest.only(kept & ~found[rest.bar])
    return Leaning(found, bends, foot)


def _promising(
    bases: Floats, parameters: BarParameters, obstacles: list[Blocking], ground: Ground | None, heading: Floats
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
        free = _first(obstacles, np.repeat(bases, _AZIMUTHS, axis=0), towards.reshape(-1, 3)).reshape(azimuth.shape)
        out = np.array(_LADDER_MM)
        length = out / np.sin(lean)
        bend = bases[:, None, None] + length[:, None] * towards[:, :, None]
        room = (free[:, :, None] > length + reach) & (bend[..., 2] > parameters.foot_height + 0.2)
        bar, turn, step = np.nonzero(room)
        # Of ways as short the one nearest to the heading: the azimuth counts a little.
        aside_of_it = 1e-3 * np.minimum(turn, _AZIMUTHS - turn)
        every.append(_Candidates(bar, bend[bar, turn, step], out[step] * (2 - share) + aside_of_it))
    joined = _Candidates(*(np.concatenate([getattr(some, key) for some in every]) for key in ("bar", "bend", "out")))
    if ground is not None:
        joined = joined.only(ground.holds(joined.bend[:, :2], parameters.shaft_diameter / 2))
    joined = joined.only(_first(obstacles, joined.bend, _DOWN) > joined.bend[:, 2])
    around = 2 * np.pi * np.arange(_RIM_RAYS) / _RIM_RAYS
    ring = reach * np.column_stack([np.cos(around), np.sin(around), np.zeros(_RIM_RAYS)])
    drops = _first(obstacles, (joined.bend[:, None] + ring).reshape(-1, 3), _DOWN).reshape(-1, _RIM_RAYS)
    is_free: Bools = np.logical_and.reduce(drops > joined.bend[:, 2:], axis=1)
    joined = joined.only(is_free)
    return joined.only(np.lexsort((joined.out, joined.bar)))


def _first(obstacles: list[Blocking], origins: Floats, directions: Floats) -> Floats:
    distance = np.full(len(origins), np.inf)
    if len(origins):
        for obstacle in obstacles:
            distance = np.minimum(distance, obstacle.first_hits(origins, directions)[0])
    return distance


def _room(bases: Floats, bends: Floats, parameters: BarParameters, obstacles: list[Blocking]) -> Floats:
    """(n,): the radius that a foot has room for; 0 where the shaft comes nearer to a part than the clearance."""
    reach = parameters.shaft_diameter / 2 + parameters.part_clearance
    foot = parameters.foot_diameter / 2
    steps = bends - bases
    length = np.linalg.norm(steps, axis=1, keepdims=True)
    starts = bases + steps * np.minimum(reach / length, 0.5)
    ground = bends * [1, 1, 0]
    top = ground + [0, 0, parameters.foot_height]
    search = np.repeat([reach, reach, foot + parameters.part_clearance], len(bases))
    distance = search.copy()
    for obstacle in obstacles:
        clearances = segment_clearances(
            obstacle.placed, np.concatenate([starts, bends, ground]), np.concatenate([bends, ground, top]), search
        )
        distance = np.minimum(distance, clearances)
    leaning, upright, standing = np.split(distance, 3)
    clear = (leaning >= reach - 1e-6) & (upright >= reach - 1e-6)
    result: Floats = np.where(clear, np.clip(standing - parameters.part_clearance, 0, foot), 0.0)
    return result
