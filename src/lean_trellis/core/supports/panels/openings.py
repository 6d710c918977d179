"""Arched openings in panels: bays between piers, in storeys, each with a top that supports itself."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.supports.panels.courses import Courses, Runs
from lean_trellis.core.supports.panels.parameters import PanelParameters

_LEAN_SHARES = np.array([0.55, 0.85, 1.0])
"""An arch leans more from step to step, up to what supports itself."""
_BAY_IN_RIBS = 5.0
_LEAST_BAY_MM = 2.0
_TALL = 3.0
"""A storey is no taller than this many times as wide as its bay."""
_LEAST_OPEN_MM = 0.15


@dataclass(frozen=True, eq=False)
class Openings:
    """Groups of openings above one another. `stations` (g, 7): side, arch, peak, arch, side. One is `height` tall.

    `floors` (g,) is the height at which the lowest begins, `pitches` (g,) from one to the next, `storeys` (g,) how
    many there are; `springs` (g,) is where the arch begins above each floor; `rises` (7,) the arch's rise at the
    stations, as a share of half the width.
    """

    stations: Floats
    floors: Floats
    pitches: Floats
    springs: Floats
    storeys: Longs
    rises: Floats

    def __len__(self) -> int:
        return len(self.floors)

    def group_at(self, stations: Floats) -> Longs:
        """(n,): the group that each station lies in, -1 for none."""
        if not len(self):
            return np.full(len(stations), -1)
        place = np.searchsorted(self.stations[:, 0], stations, side="right") - 1
        inside = (place >= 0) & (stations < self.stations[np.maximum(place, 0), -1])
        return np.where(inside, place, -1)

    def floors_and_ceilings(self, group: Longs, level: Longs, ends: Floats) -> tuple[Floats, Floats]:
        """(k, 2) heights of the floor and of the arch of an opening at both ends of slabs (k, 2) within it."""
        floor = self.floors[group] + level * self.pitches[group]
        half = (self.stations[group, -1] - self.stations[group, 0]) / 2
        share = np.clip(np.abs(ends - self.stations[group, 3][:, None]) / np.maximum(half, 1e-12)[:, None], 0, 1)
        rise = half[:, None] * np.interp(1 - share, np.linspace(0, 1, 4), self.rises[:4])
        ceiling = (floor + self.springs[group])[:, None] + rise
        return np.broadcast_to(floor[:, None], ends.shape), ceiling


def arch_rises(lean_deg: float) -> Floats:
    """(4,): rise of an arch from its side to its peak in three steps, as a share of half its width."""
    steps = 1 / np.tan(np.radians(_LEAN_SHARES * lean_deg)) / 3
    return np.concatenate([[0.0], np.cumsum(steps)])


def place_openings(
    courses: Courses, runs: Runs, p: PanelParameters, lean_deg: float, top: Callable[[Floats], Floats],
    low: Callable[[Floats], Floats], crossings: Floats,
) -> Openings:  # fmt: skip
    """Openings in all runs: between crossings where there are some, evenly where not.

    `top` and `low` give the heights of the panel's edges at stations. Openings are as large as the share asks, or as
    the ribs let them.
    """
    rises = arch_rises(lean_deg)
    whole = np.concatenate([rises, rises[-2::-1]])
    nothing = np.zeros(0)
    if p.open_share <= 0 or not len(runs):
        return Openings(np.zeros((0, 7)), nothing, nothing, nothing, np.zeros(0, np.int64), whole)
    begins, ends, spans = _bays(runs, p, np.sort(crossings.reshape(-1)))
    floor, ceiling = _room(courses, begins, ends, top, low)
    height = ceiling - floor - 2 * p.rib_mm
    storeys = np.maximum(1, np.ceil(height / (_TALL * spans))).astype(np.int64)
    tall = (height - (storeys - 1) * p.rib_mm) / storeys
    asked = p.open_share * spans * (ceiling - floor) / storeys
    width = _widths(asked, tall, ends - begins, rises)
    arch = width / 2 * rises[-1]
    kept = (tall > _LEAST_OPEN_MM) & (width > _LEAST_OPEN_MM) & (arch <= tall + 1e-9)
    begins, ends, width, arch, tall, floor, storeys = (
        values[kept] for values in (begins, ends, width, arch, tall, floor, storeys)
    )
    middle = (begins + ends) / 2
    stations = middle[:, None] + width[:, None] / 2 * np.linspace(-1, 1, 7)
    return Openings(stations, floor + p.rib_mm, tall + p.rib_mm, tall - arch, storeys, whole)


def _widths(asked: Floats, tall: Floats, most: Floats, rises: Floats) -> Floats:
    """(n,): how wide openings of a height are that have an area, or as wide as they may be.

    An arch as wide as w is w/2 · rise high and takes a share of its box: area = w · tall - (1 - share) · rise/2 · w².
    """
    rise = float(rises[-1])
    share = float((rises[:-1] + rises[1:]).sum() / 2 / 3 / rise)
    lost = (1 - share) * rise / 2
    most = np.minimum(most, 2 * tall / rise)
    root = np.sqrt(np.maximum(tall**2 - 4 * lost * asked, 0.0))
    exact = (tall - root) / (2 * lost)
    enough = tall**2 >= 4 * lost * asked
    return np.where(enough, np.minimum(exact, most), most)


def _bays(runs: Runs, p: PanelParameters, crossings: Floats) -> tuple[Floats, Floats, Floats]:
    """Where openings may lie, as (begins, ends), and how wide the bay of each is from pier to pier."""
    rib, least = p.rib_mm, max(_BAY_IN_RIBS * p.rib_mm, _LEAST_BAY_MM)
    pieces: list[Floats] = []
    for begin, end in zip(runs.begins.tolist(), runs.ends.tolist(), strict=True):
        inner = crossings[np.searchsorted(crossings, begin + rib) : np.searchsorted(crossings, end - rib)]
        piers = _thinned(inner, begin, end, least) if len(inner) > 1 else _even(begin, end, least)
        margins = np.full(len(piers), rib / 2)
        margins[[0, -1]] = rib
        pieces.append(np.column_stack([piers[:-1] + margins[:-1], piers[1:] - margins[1:], np.diff(piers)]))
    bays = np.concatenate(pieces)
    bays = bays[bays[:, 1] - bays[:, 0] > _LEAST_OPEN_MM]
    return bays[:, 0], bays[:, 1], bays[:, 2]


def _even(begin: float, end: float, least: float) -> Floats:
    return np.linspace(begin, end, 1 + max(1, math.floor((end - begin) / least)))


def _thinned(crossings: Floats, begin: float, end: float, least: float) -> Floats:
    """Begin, every so many crossings, end: none nearer to the last than the least bay."""
    gaps = np.sort(np.diff(crossings))
    usual = float(gaps[(len(gaps) - 1) // 2] + gaps[len(gaps) // 2]) / 2
    step = max(1, math.ceil(least / max(usual, 1e-9) - 1e-6))
    kept = crossings[::step]
    kept = kept[(kept - begin >= 0.5 * least) & (end - kept >= 0.5 * least)]
    return np.concatenate([[begin], kept, [end]])


def _room(
    courses: Courses, begins: Floats, ends: Floats, top: Callable[[Floats], Floats], low: Callable[[Floats], Floats]
) -> tuple[Floats, Floats]:
    """(n,), (n,): the highest that the lower edge lies over each bay, and the lowest of the upper one."""
    count = 9
    stations = begins[:, None] + (ends - begins)[:, None] * np.linspace(0, 1, count)
    floor = low(stations.reshape(-1)).reshape(-1, count).max(axis=1)
    ceiling = top(stations.reshape(-1)).reshape(-1, count).min(axis=1)
    if not len(courses.stations) or not len(begins):
        return floor, ceiling
    first = np.searchsorted(courses.stations, begins)
    last = np.maximum(np.searchsorted(courses.stations, ends), first + 1)
    pairs = np.column_stack([first, last]).reshape(-1)
    tops = np.append(top(courses.stations), np.inf)
    lows = np.append(np.maximum(courses.lows.max(axis=1), low(courses.stations)), -np.inf)
    inside = np.searchsorted(courses.stations, ends) > first
    ceiling = np.where(inside, np.minimum(ceiling, np.minimum.reduceat(tops, pairs)[::2]), ceiling)
    floor = np.where(inside, np.maximum(floor, np.maximum.reduceat(lows, pairs)[::2]), floor)
    return floor, ceiling
