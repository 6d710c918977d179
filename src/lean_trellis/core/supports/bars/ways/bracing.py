"""Braces between neighbouring uprights, so that nothing stands free over a long way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.supports.bars.clearing import Stretches, first_come, too_near
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.struts import Struts, leans_of
from lean_trellis.core.supports.bars.upright import LEVEL, LayerLean
from lean_trellis.core.supports.common.obstacle import Obstacle, clearances

_NEIGHBOURS = 7
_MOST_PASSES = 2
_LEAST_LEAN_DEG, _LEAN_SPARE_DEG = 30.0, 1.0
"""A brace that leans less is a second bar beside the first, and what is built between them cannot get out."""
_ACROSS_DEG = 45.0
"""A second plane of braces is looked for at no less than this to the first."""


@dataclass(frozen=True, eq=False)
class Uprights:
    """What stands: (c, 3, 3) places on the middle line (above the foot, bend, top), and their numbers (c,)."""

    places: Floats
    numbers: Longs

    @property
    def lengths(self) -> Floats:
        """(c,): along the middle line."""
        result: Floats = np.linalg.norm(np.diff(self.places, axis=1), axis=2).sum(axis=1)
        return result

    def at(self, which: Longs, z: Floats) -> Floats:
        """(k, 3): the middle of each column at a height within it."""
        low, bend, top = (self.places[which, ring] for ring in range(3))
        is_upper = (z > bend[:, 2])[:, None]
        start, stop = np.where(is_upper, bend, low), np.where(is_upper, top, bend)
        rise = np.maximum(stop[:, 2] - start[:, 2], 1e-9)
        share = np.clip((z - start[:, 2]) / rise, 0, 1)[:, None]
        result: Floats = start + share * (stop - start)
        return result


def braced(
    uprights: Uprights,
    parameters: BarParameters,
    obstacles: Sequence[Obstacle],
    standing: Stretches | None = None,
    layers: LayerLean = LEVEL,
) -> Struts:
    """Braces in the planes between neighbours, no more than the unbraced length asks for.

    They lean from 30° up to the lean limit, are clear of parts and of all that is `standing` with the numbers of its
    columns, and meet each other only where they are meant to: on a column, or where they cross between two.
    """
    if parameters.brace == "none" or len(uprights.numbers) < 2:
        return Struts()
    standing = Stretches() if standing is None else standing
    site = _BraceSite(uprights, parameters, obstacles, standing, layers)
    near, pairs = _neighbours(uprights, parameters)
    begin = uprights.places[pairs, 0, 2].max(axis=1)
    end = uprights.places[pairs, 2, 2].min(axis=1)
    struts = _clear(_laid_out(uprights, pairs, begin, end, parameters), site, Struts())
    for _ in range(_MOST_PASSES):
        # What still stands free over too long a stretch is braced there with any neighbour that reaches it.
        gap_low, gap_high = _longest_gaps(uprights, struts)
        needy = gap_high - gap_low > parameters.free_length
        some = near[needy[near[:, 0]]]
        begin = np.maximum(gap_low[some[:, 0]], uprights.places[some[:, 1], 0, 2])
        end = np.minimum(gap_high[some[:, 0]], uprights.places[some[:, 1], 2, 2])
        more = _clear(_laid_out(uprights, some, begin, end, parameters, is_needed=True), site, struts)
        if not len(more):
            break
        struts = Struts.joined([struts, more])
    numbered = uprights.numbers[struts.columns]
    return Struts(struts.starts, struts.stops, struts.radii, numbered)


@dataclass(frozen=True, eq=False)
class _BraceSite:
    uprights: Uprights
    parameters: BarParameters
    obstacles: Sequence[Obstacle]
    standing: Stretches
    layers: LayerLean


def _longest_gaps(uprights: Uprights, struts: Struts) -> tuple[Floats, Floats]:
    """From and to which height (c,) each column stands free over its longest stretch."""
    count = len(uprights.numbers)
    owner = np.concatenate([np.tile(np.arange(count), 2), struts.columns.T.reshape(-1)])
    heights = np.concatenate(
        [uprights.places[:, 0, 2], uprights.places[:, 2, 2], struts.starts[:, 2], struts.stops[:, 2]]
    )
    order = np.lexsort((heights, owner))
    heights, owner = heights[order], owner[order]
    gaps = np.where(owner[1:] == owner[:-1], np.diff(heights), -1.0)
    longest = np.lexsort((-gaps, owner[1:]))
    first = longest[np.flatnonzero(np.append(True, np.diff(owner[1:][longest]) != 0))]
    low, high = np.zeros(count), np.zeros(count)
    low[owner[1:][first]], high[owner[1:][first]] = heights[:-1][first], heights[1:][first]
    return low, high


def _clear(laid_out: tuple[Longs, Longs, Floats, Floats], site: _BraceSite, there: Struts) -> Struts:
    """Those that nothing is in the way of and that lean as they may; numbered by place among the uprights."""
    one, other, low, high = laid_out
    uprights, p = site.uprights, site.parameters
    starts, stops = uprights.at(one, low), uprights.at(other, high)
    radius = p.brace_diameter / 2
    reach = np.full(len(starts), radius + p.part_clearance)
    leans = leans_of(starts, stops)
    free = (leans <= p.lean_limit + 1e-6) & (leans >= min(_LEAST_LEAN_DEG, p.lean_limit) - _LEAN_SPARE_DEG)
    free &= site.layers.allows(stops - starts)
    free[free] = clearances(site.obstacles, starts[free], stops[free], reach[free]) >= reach[free] - 1e-6
    ends = np.column_stack([one, other])
    struts = Struts(starts[free], stops[free], np.full(int(free.sum()), radius), ends[free])
    return struts if p.bar_clearance is None else struts.only(_are_apart(struts, there, site, p.bar_clearance))


def _are_apart(struts: Struts, there: Struts, site: _BraceSite, clearance: float) -> Bools:
    """(k,): which braces keep clear of what stands, of those that are `there`, and of the earlier of themselves."""
    apart = np.ones(len(struts), bool)
    fresh, known = (Stretches.straight(some.starts, some.stops, some.radii) for some in (struts, there))
    is_too_near = too_near(fresh, site.standing, clearance)
    own = site.uprights.numbers[struts.columns][is_too_near[:, 0]] == site.standing.owners[is_too_near[:, 1], None]
    apart[is_too_near[~own.any(axis=1), 0]] = False
    every = Struts.joined([there, struts])
    pairs = too_near(fresh, Stretches.joined([known, fresh]), clearance)
    pairs[:, 0] += len(there)
    stands = np.append(np.ones(len(there), bool), apart)
    first_come(pairs[~_meet_on_purpose(every, pairs, site.parameters)], stands)
    return stands[len(there) :]


def _meet_on_purpose(every: Struts, pairs: Longs, parameters: BarParameters) -> Bools:
    """(p,): whether two braces cross between the same two columns, or end on one column at the same place."""
    one, other = pairs.T
    columns = every.columns
    same = (np.sort(columns[one], axis=1) == np.sort(columns[other], axis=1)).all(axis=1)
    ends = np.stack([every.starts, every.stops], axis=1)
    meets = same
    for mine in (0, 1):
        for theirs in (0, 1):
            on_one = columns[one, mine] == columns[other, theirs]
            away = np.linalg.norm(ends[one, mine] - ends[other, theirs], axis=1)
            meets = meets | (on_one & (away <= parameters.shaft_diameter / 2))
    return meets


def _neighbours(uprights: Uprights, parameters: BarParameters) -> tuple[Longs, Longs]:
    """All near enough, and (p, 2) chosen: for each column that needs it a neighbour, and one in another plane.

    Chosen are the shortest tree that joins all, and for each column the nearest neighbour across to what it has.
    """
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import minimum_spanning_tree

    count = len(uprights.numbers)
    middles = uprights.at(np.arange(count), uprights.places[:, [0, 2], 2].mean(axis=1))[:, :2]
    known = min(_NEIGHBOURS, count)
    away, near = place_tree(middles).query(middles, k=known)
    one, other = np.repeat(np.arange(count), known - 1), near[:, 1:].reshape(-1)
    away = away[:, 1:].reshape(-1)
    steep = np.tan(np.radians(parameters.lean_limit))
    needy = uprights.lengths > parameters.free_length
    may = (away > 1e-6) & (away <= parameters.free_length * steep) & (needy[one] | needy[other])
    one, other, away = one[may], other[may], away[may]
    if not len(one):
        return np.zeros((0, 2), np.int64), np.zeros((0, 2), np.int64)
    tree = minimum_spanning_tree(coo_array((away, (one, other)), shape=(count, count)).tocsr()).tocoo()
    first = np.sort(np.column_stack([tree.row, tree.col]).astype(np.int64), axis=1)
    turn = np.arctan2(*(middles[other] - middles[one]).T[::-1])
    has: list[list[float]] = [[] for _ in range(count)]
    for a, b in first.tolist():
        angle = float(np.arctan2(*(middles[b] - middles[a])[::-1]))
        has[a].append(angle)
        has[b].append(angle)
    further = []
    least = np.sin(np.radians(_ACROSS_DEG)) - 1e-9
    for number in np.lexsort((other, away)).tolist():
        a, b = int(one[number]), int(other[number])
        angle = float(turn[number])
        if needy[a] and all(abs(np.sin(angle - known)) >= least for known in has[a]):
            further.append((min(a, b), max(a, b)))
            has[a].append(angle)
            has[b].append(angle)
    every = np.concatenate([first, np.array(further, np.int64).reshape(-1, 2)])
    near_first = np.lexsort((other, away, one))
    return np.column_stack([one, other])[near_first], np.unique(every, axis=0)


def _laid_out(
    uprights: Uprights, pairs: Longs, begin: Floats, end: Floats, parameters: BarParameters, *, is_needed: bool = False
) -> tuple[Longs, Longs, Floats, Floats]:
    """Braces between two heights of pairs: the column of the lower end, that of the upper, the heights of both ends.

    Each leans as far as it may, which is the shortest way across. If it `is_needed`, there is one at least.
    """
    one, other, low, high = [], [], [], []
    free, slope = parameters.free_length, np.tan(np.radians(parameters.lean_limit))
    spans = np.maximum.reduce([
        np.hypot(*(uprights.places[pairs[:, 0], ring] - uprights.places[pairs[:, 1], ring])[:, :2].T)
        for ring in range(3)
    ])  # fmt: skip
    rises = spans / max(slope, 1e-6) * (1 + 1e-6)
    lay = BAYS[parameters.brace]
    for (a, b), z0, z1, rise in zip(pairs.tolist(), begin.tolist(), end.tolist(), rises.tolist(), strict=True):
        for lower, upper, start, stop in lay(z0, z1, rise, free, int(is_needed)):
            one.append(b if lower else a)
            other.append(b if upper else a)
            low.append(start)
            high.append(stop)
    return np.array(one, np.int64), np.array(other, np.int64), np.array(low), np.array(high)


_Bay = list[tuple[int, int, float, float]]


def _count(room: float, bay: float, wanted: float, least: int) -> int:
    """How many bays of a height: as many as are wanted, at least so many, no more than there is room for."""
    most = max(int((room + 1e-9) / bay), 0) if bay > 0 else 0
    return min(max(int(np.ceil(wanted - 1e-9)), least), most)


def _zigzag(z0: float, z1: float, rise: float, free: float, least: int) -> _Bay:
    """One brace after the other, to and fro: each joins the one column to the other, a rise higher."""
    room = z1 - z0
    count = _count(room, rise, (room - free) / max(free - rise, 1e-6), least)
    pitch = max((room - rise) / (count + 1), rise) if count else 0.0
    first = z0 + max((room - rise - (count - 1) * pitch) / 2, 0.0)
    return [(n % 2, 1 - n % 2, first + n * pitch, first + n * pitch + rise) for n in range(count)]


def _crossed(z0: float, z1: float, rise: float, free: float, least: int) -> _Bay:
    room = z1 - z0
    count = _count(room, rise, (room - free) / (free + rise), least)
    between = (room - count * rise) / (count + 1)
    starts = [z0 + between + n * (between + rise) for n in range(count)]
    return [(side, 1 - side, start, start + rise) for start in starts for side in (0, 1)]


def _two_to_a_point(z0: float, z1: float, rise: float, free: float, least: int) -> _Bay:
    """From the ends of a bay on one column to the middle of the bay on the other; sides change from bay to bay."""
    room = z1 - z0
    wanted = (room - free + rise) / (free + rise) if room > free else 0
    count = _count(room, 2 * rise, wanted, least)
    between = (room - 2 * count * rise) / (count + 1)
    struts: _Bay = []
    for n in range(count):
        side, start = n % 2, z0 + between + n * (between + 2 * rise)
        struts.append((side, 1 - side, start, start + rise))
        struts.append((1 - side, side, start + rise, start + 2 * rise))
    return struts


BAYS = {"zigzag": _zigzag, "x": _crossed, "k": _two_to_a_point}
"""Braces between two heights by kind: (side of the lower end, of the upper, both heights), for a rise of each brace."""
