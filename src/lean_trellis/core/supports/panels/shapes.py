"""From courses to panels: tabs at both edges, arches between them, openings; and what could not be built."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, counted_out, frozen
from lean_trellis.core.supports.panels.courses import REASONS, TOO_NEAR, Courses, Runs, find_runs
from lean_trellis.core.supports.panels.openings import Openings, place_openings
from lean_trellis.core.supports.panels.panels import Columns, LeftOut, Panels, Slabs, Tabs
from lean_trellis.core.supports.panels.parameters import PanelParameters
from lean_trellis.core.supports.panels.pieces import columns_at, pieces_of

_SAME_STATION_MM = 1e-6
_LEAST_HIGH_MM = 1e-7
_MOST_TOLD = 200
Met = Callable[[Columns, Slabs], Bools]


@dataclass(frozen=True, eq=False)
class _Edge:
    """How an edge touches the part: tabs as stations, and how far it stays off between them."""

    begins: Floats
    ends: Floats
    height: float

    def holds(self, stations: Floats) -> Bools:
        """(n,): whether each station lies within a tab."""
        place = np.searchsorted(self.begins, stations, side="right") - 1
        result: Bools = (place >= 0) & (stations <= np.append(self.ends, -np.inf)[place])
        return result


def panels_of(
    courses: Courses,
    p: PanelParameters,
    lean_deg: float,
    line_mm: float,
    crossings: Floats,
    is_met: Met,
) -> Panels:
    """The panels of courses.

    `crossings` (k, 2) are stations where walls meet; `lean_deg` how far arches may lean; `is_met` tells which slabs a
    part lies in: these are left out.

    Area is exact: slabs are cut where tabs, openings and arches begin, end and bend.
    """
    runs = find_runs(courses.stations, courses.walls, courses.free)
    upper = _upper_edge(runs, p)
    lower, arches = _lower_edge(courses, p, lean_deg)
    height = _Heights(courses, upper, lower, arches, lean_deg)
    openings = place_openings(courses, runs, p, lean_deg, height.free_top, height.raised_low, crossings)
    stations = _all_stations(courses, upper, lower, arches, openings)
    slabs, middles, ends = _whole_slabs(height, stations)
    columns, number = _columns(courses, stations)
    is_blocked = is_met(columns, slabs)
    free = ~is_blocked
    pieced, opened = _with_openings(slabs.only(free), openings, middles[free], ends[free])
    pieced = replace(pieced, left=number[pieced.left], right=number[pieced.right])
    pieced = pieced.only((pieced.high - pieced.low).max(axis=1) > _LEAST_HIGH_MM)
    return Panels(
        columns, pieced, pieces_of(pieced, columns_at(crossings, stations, number)), p.thickness, line_mm,
        _tabs(courses, upper), _low_tabs(courses, lower, height),
        _together(_left_out(courses), _too_near(columns, slabs.only(is_blocked))), open_mm2=opened,
    )  # fmt: skip


def _spread_tabs(runs: Runs, width: float, free_share: float) -> tuple[Floats, Floats]:
    """Tabs as (begins, ends): as many as leave the share free, evenly over each run; at least one."""
    lengths = runs.ends - runs.begins
    if free_share <= 0:
        return runs.begins, runs.ends
    counts = np.maximum(1, np.round(lengths * (1 - free_share) / width)).astype(np.int64)
    owners, within = counted_out(counts)
    middles = runs.begins[owners] + (within + 0.5) / counts[owners] * lengths[owners]
    half = np.minimum(width, lengths[owners] / counts[owners]) / 2
    return middles - half, middles + half


def _upper_edge(runs: Runs, p: PanelParameters) -> _Edge:
    begins, ends = _spread_tabs(runs, p.tab_width, p.tab_free)
    return _Edge(begins, ends, p.tab_height if p.tab_free > 0 else 0.0)


@dataclass(frozen=True, eq=False)
class _Arches:
    """Gaps between lower tabs, as stations `begins`, `ends`; each rises from `height` at its tabs to its `peaks`."""

    begins: Floats
    peaks: Floats
    ends: Floats
    height: float

    def rise(self, stations: Floats, lean_deg: float) -> Floats:
        """(n,): how high above what is below the edge lies; 0 outside of gaps."""
        if not len(self.begins):
            return np.zeros(len(stations))
        place = np.clip(np.searchsorted(self.begins, stations, side="right") - 1, 0, None)
        inside = (stations >= self.begins[place]) & (stations <= self.ends[place])
        from_left = np.where(self.peaks[place] > self.begins[place], stations - self.begins[place], np.inf)
        from_right = np.where(self.peaks[place] < self.ends[place], self.ends[place] - stations, np.inf)
        away = np.minimum(from_left, from_right)
        steep = 1 / math.tan(math.radians(lean_deg))
        return np.where(inside, self.height + away * steep, 0.0)


def _lower_edge(courses: Courses, p: PanelParameters, lean_deg: float) -> tuple[_Edge, _Arches]:
    """Tabs where a part is below; the edge between rises to a point, so that it supports itself.

    Where there is no room for that, the edge touches the part without a gap.
    """
    width, free_share, height = p.lower_tabs
    runs = find_runs(courses.stations, courses.walls, courses.free & courses.on_part)
    begins, ends = _spread_tabs(runs, width, free_share)
    nothing = np.zeros(0)
    if free_share <= 0 or not len(runs):
        return _Edge(begins, ends, 0.0), _Arches(nothing, nothing, nothing, 0.0)
    gap_begins, gap_ends = np.concatenate([runs.begins, ends]), np.concatenate([begins, runs.ends])
    order_begins, order_ends = np.sort(gap_begins), np.sort(gap_ends)
    at_begin, at_end = np.isin(order_begins, runs.begins), np.isin(order_ends, runs.ends)
    peaks = np.where(at_begin, order_begins, np.where(at_end, order_ends, (order_begins + order_ends) / 2))
    reach = np.where(at_begin | at_end, order_ends - order_begins, (order_ends - order_begins) / 2)
    needed = height + reach / math.tan(math.radians(lean_deg)) + p.tab_height + p.rib_mm
    room = _least_between(courses, order_begins, order_ends)
    kept = (needed <= room) & (order_ends - order_begins > 1e-6)
    arches = _Arches(order_begins[kept], peaks[kept], order_ends[kept], height)
    full = ~kept & (order_ends - order_begins > 1e-6)
    begins, ends = np.concatenate([begins, order_begins[full]]), np.concatenate([ends, order_ends[full]])
    order = np.argsort(begins)
    return _Edge(begins[order], ends[order], height), arches


def _least_between(courses: Courses, begins: Floats, ends: Floats) -> Floats:
    """(n,): the least height between what is below and the surface over stretches of stations."""
    rooms = (np.column_stack([courses.tops, np.append(courses.tops[1:], 0.0)]) - courses.lows).min(axis=1)
    first = np.maximum(np.searchsorted(courses.stations, begins + 1e-9, side="right") - 1, 0)
    last = np.maximum(np.searchsorted(courses.stations, ends - 1e-9, side="left"), first + 1)
    pairs = np.column_stack([first, last]).reshape(-1)
    return np.minimum.reduceat(np.append(rooms, np.inf), pairs)[::2] if len(pairs) else np.zeros(0)


class _Heights:
    """Heights of the edges at any stations, within the stretches that these lie in."""

    def __init__(self, courses: Courses, upper: _Edge, lower: _Edge, arches: _Arches, lean_deg: float) -> None:
        self.courses, self.upper, self.lower, self.arches, self.lean = courses, upper, lower, arches, lean_deg

    def surface(self, stations: Floats) -> Floats:
        """Of the part above."""
        return np.interp(stations, self.courses.stations, self.courses.tops)

    def beneath(self, stations: Floats, stretch: Longs) -> Floats:
        """Of what is below, within given stretches."""
        begins = self.courses.stations[stretch]
        lengths = np.append(np.diff(self.courses.stations), 1.0)[stretch]
        share = np.clip((stations - begins) / lengths, 0, 1)
        lows = self.courses.lows[stretch]
        result: Floats = lows[:, 0] * (1 - share) + lows[:, 1] * share
        return result

    def stretch_of(self, stations: Floats) -> Longs:
        """The stretch that each station lies in."""
        return np.clip(np.searchsorted(self.courses.stations, stations + 1e-9, side="right") - 1, 0, None)

    def lift(self, stations: Floats) -> Floats:
        """How far tabs end beyond the surface above."""
        return np.interp(stations, self.courses.stations, self.courses.upper.middles)

    def low_lift(self, stations: Floats) -> Floats:
        """How much higher than what is below tabs begin there: below 0 where they go in."""
        return np.interp(stations, self.courses.stations, self.courses.lower.middles)

    def side(self, stations: Floats) -> Floats:
        """How much lower than in the middle tabs end at their lower side; 0 where neither is lower."""
        return np.interp(stations, self.courses.stations, np.minimum(self.courses.upper.tilts.min(axis=1), 0.0))

    def low_side(self, stations: Floats) -> Floats:
        """How much higher than in the middle tabs on what is below begin at their higher side."""
        return np.interp(stations, self.courses.stations, np.maximum(self.courses.lower.tilts.max(axis=1), 0.0))

    def drop(self, surface: Floats, beneath: Floats) -> Floats:
        """How far the edge between tabs stays below the surface: never more than half the height."""
        return np.minimum(self.upper.height, 0.5 * (surface - beneath))

    def free_top(self, stations: Floats) -> Floats:
        """Of the upper edge between tabs, below every tab."""
        surface = self.surface(stations)
        return surface - self.drop(surface, self.beneath(stations, self.stretch_of(stations)))

    def raised_low(self, stations: Floats) -> Floats:
        """Of the lower edge, in gaps above it."""
        beneath = self.beneath(stations, self.stretch_of(stations))
        return beneath + self.arches.rise(stations, self.lean)


def _all_stations(courses: Courses, upper: _Edge, lower: _Edge, arches: _Arches, openings: Openings) -> Floats:
    """Every station at which something begins, ends or bends, those of the courses first among equals."""
    further = np.concatenate(
        [upper.begins, upper.ends, lower.begins, lower.ends, arches.begins, arches.peaks, arches.ends,
         openings.stations.reshape(-1)]
    )  # fmt: skip
    if len(courses.stations) and len(further):
        place = np.clip(np.searchsorted(courses.stations, further), 1, len(courses.stations) - 1)
        near = np.minimum(np.abs(courses.stations[place] - further), np.abs(courses.stations[place - 1] - further))
        further = np.unique(further[near > _SAME_STATION_MM])
        further = further[np.append(True, np.diff(further) > _SAME_STATION_MM)] if len(further) else further
    return np.sort(np.concatenate([courses.stations, further]))


def _whole_slabs(height: _Heights, stations: Floats) -> tuple[Slabs, Floats, Floats]:
    """Slabs between neighbouring stations, before openings; their middles (k,) and ends (k, 2) along the courses."""
    courses, upper, lower = height.courses, height.upper, height.lower
    middles = (stations[:-1] + stations[1:]) / 2
    stretch = height.stretch_of(middles)
    kept = np.flatnonzero(courses.free[stretch]) if len(middles) else np.zeros(0, np.int64)
    middles, stretch = middles[kept], stretch[kept]
    ends = np.stack([stations[kept], stations[kept + 1]], axis=1) if len(kept) else np.zeros((0, 2))
    surface = height.surface(ends.reshape(-1)).reshape(-1, 2)
    low = np.stack([height.beneath(ends[:, side], stretch) for side in (0, 1)], axis=1)
    bites, on_part = upper.holds(middles), courses.on_part[stretch]
    lift, low_lift = (of(ends.reshape(-1)).reshape(-1, 2) for of in (height.lift, height.low_lift))
    side, low_side = (of(ends.reshape(-1)).reshape(-1, 2) for of in (height.side, height.low_side))
    between = np.minimum(surface - height.drop(surface, low), surface + lift + side)
    high = np.where(bites[:, None], surface + lift, between)
    low_bites = on_part & lower.holds(middles)
    inside = _inside_arches(height, middles, ends)
    # Between tabs an edge is level from side to side: it is no nearer than a tab there, on neither side.
    off = np.where(low_bites[:, None], low_lift, np.maximum(inside, low_lift + low_side))
    low = low + np.where(on_part[:, None], off, 0.0)
    slabs = Slabs(kept, kept + 1, low, high, courses.walls[stretch], bites, low_bites)
    has_room = np.asarray((high > low).all(axis=1), bool)  # a gap may leave none between what is below and the surface
    return slabs.only(has_room), middles[has_room], ends[has_room]


def _inside_arches(height: _Heights, middles: Floats, ends: Floats) -> Floats:
    """(k, 2): rise of the lower edge at both ends of slabs that lie in gaps; 0 elsewhere."""
    lies_in = height.arches.rise(middles, height.lean) > 0
    rise = height.arches.rise(ends.reshape(-1), height.lean).reshape(-1, 2)
    # At the edge of a tab the gap begins at its own height.
    return np.where(lies_in[:, None], np.maximum(rise, height.arches.height), 0.0)


def _with_openings(slabs: Slabs, openings: Openings, middles: Floats, ends: Floats) -> tuple[Slabs, float]:
    """Slabs that an opening passes are parted into what is below, between and above; and the area cut away."""
    group = openings.group_at(middles)
    storeys = np.where(group >= 0, openings.storeys[group], 0) if len(openings) else np.zeros(len(slabs), np.int64)
    owners, level = counted_out(storeys + 1)
    low, high = slabs.low[owners].copy(), slabs.high[owners].copy()
    taken = 0.0
    if len(openings):
        floors, ceilings = openings.floors_and_ceilings(group[owners], level, ends[owners])
        above = level > 0
        below = level < storeys[owners]
        _, under_ceiling = openings.floors_and_ceilings(group[owners], level - 1, ends[owners])
        low[above] = under_ceiling[above]
        high[below] = floors[below]
        lengths = np.diff(ends[owners], axis=1)[:, 0]
        taken = float((lengths * (ceilings - floors).mean(axis=1))[below].sum())
    low = np.minimum(low, high)  # below a steep upper edge an opening's top may just reach it
    parted = slabs.only(owners)
    top, bottom = level == storeys[owners], level == 0
    return Slabs(
        parted.left, parted.right, low, high, parted.walls, parted.bites & top, parted.low_bites & bottom
    ), taken


def _columns(courses: Courses, stations: Floats) -> tuple[Columns, Longs]:
    """All columns, and the number of each station's: the last of a closed wall is its first."""
    sides = (*courses.upper.tilts.T, *courses.lower.tilts.T)
    at = [np.interp(stations, courses.stations, values) for values in (*courses.places.T, *sides)]
    place = np.clip(np.searchsorted(courses.stations, stations + 1e-9, side="right") - 1, 0, None)
    exact = np.abs(courses.stations[place] - stations) <= 1e-9
    # Between bends the side runs straight; at a bend it has its mitre.
    between = np.clip(place, 0, max(len(courses.stations) - 2, 0))
    walls = courses.walls[place]
    step = courses.places[np.minimum(between + 1, len(courses.places) - 1)] - courses.places[between]
    step = step / np.maximum(np.hypot(step[:, 0], step[:, 1]), 1e-12)[:, None]
    across = np.where(exact[:, None], courses.across[place], np.column_stack([step[:, 1], -step[:, 0]]))
    number = np.arange(len(stations))
    for wall, path in enumerate(courses.paths):
        if path.is_closed:
            mine = np.flatnonzero(walls == wall)
            if len(mine):
                number[mine[-1]] = mine[0]
    places, tilts, low_tilts = (frozen(np.column_stack(pair)) for pair in (at[:2], at[2:4], at[4:]))
    lifts = [frozen(np.interp(stations, courses.stations, lifts.middles)) for lifts in (courses.upper, courses.lower)]
    return Columns(places, frozen(across), tilts, low_tilts, *lifts), number


def _tabs(courses: Courses, edge: _Edge) -> Tabs:
    stations = np.stack([edge.begins, edge.ends], axis=1)
    middles = stations.mean(axis=1)
    if not len(middles):
        return Tabs()
    walls = courses.walls[np.clip(np.searchsorted(courses.stations, middles) - 1, 0, None)]
    places = np.stack([_on_surface(courses, values) for values in (stations[:, 0], stations[:, 1])], axis=1)
    return Tabs(_on_surface(courses, middles), edge.ends - edge.begins, courses.regions[walls].astype(np.int32), places)


def _on_surface(courses: Courses, stations: Floats) -> Floats:
    """(n, 3): places on the surface above."""
    return np.column_stack(
        [np.interp(stations, courses.stations, values) for values in (*courses.places.T, courses.tops)]
    )


def _low_tabs(courses: Courses, edge: _Edge, height: _Heights) -> Tabs:
    if not len(edge.begins):
        return Tabs()
    heights = []
    for stations in (edge.begins, (edge.begins + edge.ends) / 2, edge.ends):
        places = _on_surface(courses, stations)
        places[:, 2] = height.beneath(stations, height.stretch_of(stations - 1e-6))
        heights.append(places)
    nothing = np.full(len(edge.begins), -1, np.int32)
    return Tabs(heights[1], edge.ends - edge.begins, nothing, np.stack([heights[0], heights[2]], axis=1))


def _too_near(columns: Columns, slabs: Slabs) -> LeftOut:
    """Slabs that a part lies in, as one stretch that was left out."""
    if not len(slabs):
        return LeftOut()
    left, right = columns.places[slabs.left], columns.places[slabs.right]
    place = np.append((left[0] + right[0]) / 2, slabs.high[0].mean())
    length = np.hypot(*(right - left).T).sum(keepdims=True)
    return LeftOut(place[None], length, (REASONS[TOO_NEAR],))


def _together(one: LeftOut, other: LeftOut) -> LeftOut:
    return LeftOut(
        np.concatenate([one.places, other.places]), np.concatenate([one.lengths_mm, other.lengths_mm]),
        one.reasons + other.reasons,
    )  # fmt: skip


def _left_out(courses: Courses) -> LeftOut:
    """What could not be built: stretches one after the other with the same reason named once."""
    last = np.append(np.diff(courses.walls) != 0, True)
    state = np.where(last, 0, courses.state)
    gone = np.flatnonzero(state > 0)
    if not len(gone):
        return LeftOut()
    breaks = np.flatnonzero((np.diff(gone) > 1) | (np.diff(state[gone]) != 0)) + 1
    groups = np.split(gone, breaks)[:_MOST_TOLD]
    middles = [some[len(some) // 2] for some in groups]
    places = np.column_stack([courses.places[middles], courses.tops[middles]])
    lengths = [float(courses.stations[some[-1] + 1] - courses.stations[some[0]]) for some in groups]
    return LeftOut(frozen(places), np.array(lengths), tuple(REASONS[int(state[some[0]])] for some in groups))
