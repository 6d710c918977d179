"""Courses: paths in plan led up to a surface and down to what is below, as columns close together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from shapely import STRtree, linestrings

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows, counted_out
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.supports.common.contacts import Contact
from lean_trellis.core.supports.common.obstacle import (
    DOWN,
    Ground,
    Obstacle,
    clearances,
    nearest_distances,
    nearest_hits,
)
from lean_trellis.core.supports.common.offsets import surface_offsets
from lean_trellis.core.supports.panels.edges import off_by_a_gap
from lean_trellis.core.supports.panels.paths import Path, Segments

_STEEPEST = 3.7
"""No wall ends more steeply from side to side: 75 degrees."""
_TOUCH = Contact(is_bite=True, distance=0.0)
STEP_MM = 0.4
"""Columns lie no farther apart: what is below is looked for at each."""
_LEAST_STEP_MM = 0.04
_FINEST_MM = 0.02
_BENT_MM, _BENT_ROUNDS = 0.02, 4
"""Where what is below lies off the line between two columns by more, one is put between, so many times over."""
_BEGIN_BELOW_MM = 0.03
_SIDE_SPARE_MM, _GAP_SPARE_MM = 0.1, 0.02
_LEAST_UP = 0.15
"""A wall stands on what looks up by this much at least: steeper than 81 degrees nothing stands."""
FREE, NO_SURFACE, IN_THE_WAY, TOO_STEEP, OFF_PLATE, TOO_LOW, TOO_NEAR = range(7)
REASONS = {
    NO_SURFACE: "no surface above",
    IN_THE_WAY: "a part is between the surface and the plate",
    TOO_STEEP: "the surface below is too steep or protected",
    OFF_PLATE: "outside the plate or in a keep-out zone",
    TOO_LOW: "too little height above the surface below",
    TOO_NEAR: "a part is too close at the side",
}


class Roof(Protocol):
    """What walls are led up to: the floor of a region, a low edge, or any underside of the part."""

    @property
    def region(self) -> int:
        """The region it belongs to, -1 for none."""

    @property
    def mesh(self) -> Mesh:
        """The part in its pose."""

    @property
    def edges(self) -> Floats:
        """(e, 2, 2): lines in plan between which it is plane."""

    def surface_at(self, places: Floats) -> tuple[Floats, Longs]:
        """Heights (n,) above (n, 2) places, and the faces there."""


@dataclass(frozen=True)
class Footing:
    """What a wall stands on: the plate only, whatever is below, or a level above the plate or under the surface."""

    ends_on: str
    level: float = 0.0
    level_from: str = "plate"


@dataclass(frozen=True, eq=False)
class Courses:
    """All walls as columns, one after the other; stretch i goes from column i to i + 1 of the same wall.

    `stations` (c,) are places along all walls, as `segments` count them. `tops` (c,) are heights
    of the surface; `lows` (c, 2) those of what is below at both ends of the stretch. `state` (c,) is FREE for stretches
    that can be built, or why not; `on_part` (c,) tells that a part is below.
    """

    paths: tuple[Path, ...]
    segments: Segments
    walls: Longs
    stations: Floats
    places: Floats
    across: Floats
    tops: Floats
    upper: Lifts
    lows: Floats
    lower: Lifts
    on_part: Bools
    state: Longs
    regions: Longs
    """(w,): the region that each wall holds."""

    @property
    def free(self) -> Bools:
        """(c,): the stretches that can be built."""
        result: Bools = self.state == FREE
        return result


@dataclass(frozen=True, eq=False)
class Lifts:
    """How far along z tabs end beyond a surface: `middles` (c,), below 0 short of it; `tilts` (c, 2) of both sides.

    A tilt is how much higher a wall ends at its right, or left, side than in its middle.
    """

    middles: Floats
    tilts: Floats


@dataclass(frozen=True, eq=False)
class Runs:
    """Unbroken stretches of wall, by stations: `begins`, `ends` (r,), and their `walls`."""

    begins: Floats
    ends: Floats
    walls: Longs

    def __len__(self) -> int:
        return len(self.begins)


def find_runs(stations: Floats, walls: Longs, free: Bools) -> Runs:
    """Runs of neighbouring stretches (c,) that are free."""
    edges = np.diff(np.concatenate([[0], free.astype(np.int8), [0]]))
    first, last = np.flatnonzero(edges > 0), np.flatnonzero(edges < 0)
    return Runs(stations[first], stations[last], walls[first]) if len(first) else Runs(
        np.zeros(0), np.zeros(0), np.zeros(0, np.int64)
    )  # fmt: skip


class Surveyor:
    """Finds heights above and below places along paths."""

    def __init__(
        self,
        paths: Sequence[Path],
        floors: Sequence[Roof],
        obstacles: Sequence[Obstacle],
        ground: Ground | None,
        footing: Footing,
        thickness: float,
        contacts: tuple[Contact, Contact] = (_TOUCH, _TOUCH),
    ) -> None:
        """`contacts` are those of tabs with what is above and with what is below."""
        self._contacts = contacts
        self._paths, self._floors = tuple(paths), floors
        self._obstacles, self._ground, self._footing = obstacles, ground, footing
        self._half = thickness / 2
        self._lines = Segments(self._paths)

    def courses(self, least_height: float) -> Courses:
        """All columns. A stretch lower than `least_height` is not built."""
        stations = self._first_stations()
        probed = self._probe(stations)
        for _ in range(6):
            jumps = self._jumps(probed) & (np.diff(probed.stations, append=np.inf) > _FINEST_MM)
            where = np.flatnonzero(jumps)
            if not len(where):
                break
            middles = (probed.stations[where] + probed.stations[where + 1]) / 2
            probed = _merged(probed, self._probe(middles))
        for _ in range(_BENT_ROUNDS):
            probed, was_bent = self._bent_below(probed)
            if not was_bent:
                break
        return self._finished(probed, least_height)

    def _bent_below(self, probed: _Probed) -> tuple[_Probed, bool]:
        """With columns where what is below bends between two others, so that the lower edge follows it."""
        same = np.append(np.diff(probed.walls) == 0, False)
        on_part = probed.on_part & np.append(probed.on_part[1:], False)
        wide = np.diff(probed.stations, append=np.inf) > _LEAST_STEP_MM
        where = np.flatnonzero(same & on_part & wide & ~self._jumps(probed))
        if not len(where):
            return probed, False
        further = self._probe((probed.stations[where] + probed.stations[where + 1]) / 2)
        chord = (probed.beneath[where] + probed.beneath[where + 1]) / 2
        bent = np.abs(further.beneath - chord) > _BENT_MM
        return _merged(probed, further.only(bent)), bool(bent.any())

    def _first_stations(self) -> Floats:
        """Bends, places at even steps, and where the path passes from face to face."""
        lines = self._lines
        bends = lines.bends
        counts = np.maximum(1, np.ceil(lines.lengths / STEP_MM)).astype(np.int64)
        owners, within = counted_out(counts)
        even = lines.begins[owners] + within / counts[owners] * lines.lengths[owners]
        others = np.concatenate([even, self._face_changes()])
        others = others[np.argsort(np.floor(others / _LEAST_STEP_MM), kind="stable")]
        cells = np.floor(others / _LEAST_STEP_MM)
        others = others[np.append(True, np.diff(cells) > 0)] if len(others) else others
        away = np.abs(others[:, None] - bends[_nearest(bends, others)]).min(axis=1) if len(others) else others
        return np.sort(np.concatenate([bends, others[away > _LEAST_STEP_MM / 4]]))

    def _face_changes(self) -> Floats:
        """Stations where paths cross edges between faces of their floor."""
        places, lines = [], self._lines
        for number, floor in enumerate(self._floors):
            mine = np.flatnonzero(lines.floors == number)
            if not len(mine) or not len(floor.edges):
                continue
            tree = STRtree(linestrings(floor.edges))
            which, edge = tree.query(linestrings(np.stack([lines.a[mine], lines.b[mine]], axis=1)), "intersects")
            share = _crossing(lines.a[mine][which], lines.b[mine][which], *np.moveaxis(floor.edges[edge], 1, 0))
            kept = (share > 0) & (share < 1)
            places.append((lines.begins[mine][which] + share * lines.lengths[mine][which])[kept])
        return np.concatenate(places) if places else np.zeros(0)

    def _probe(self, stations: Floats) -> _Probed:
        places, across, walls = self._lines.at(stations)
        floor_of_wall = np.array([path.floor for path in self._paths], np.int64)
        tops, tilts = np.full(len(places), np.nan), np.zeros(len(places))
        for number, floor in enumerate(self._floors):
            mine = np.flatnonzero(floor_of_wall[walls] == number)
            if not len(mine):
                continue
            heights, faces = floor.surface_at(places[mine])
            tops[mine] = heights
            normals = floor.mesh.normals[np.maximum(faces, 0)]
            tilts[mine] = np.where(faces >= 0, _slope(normals, across[mine]) * self._half, 0.0)
        tops = _filled(tops, walls, stations)
        starts = np.column_stack([places, tops - _BEGIN_BELOW_MM])
        with np.errstate(invalid="ignore"):
            drops, normals = nearest_hits(self._obstacles, np.nan_to_num(starts), DOWN)
        beneath = np.where(np.isfinite(drops), starts[:, 2] - drops, 0.0)
        low_tilts = np.where(np.isfinite(drops), _slope(normals, across) * self._half, 0.0)
        state = np.full(len(places), FREE)
        on_part = np.isfinite(drops)
        state[on_part & (normals[:, 2] < _LEAST_UP)] = TOO_STEEP
        if self._half > 0:
            state[(state == FREE) & self._is_grazed(places, across, tops, tilts, beneath, low_tilts)] = TOO_NEAR
        if self._ground is not None:
            on_plate = self._ground.holds(places, self._half)
            state[~on_part & ~on_plate] = OFF_PLATE
        state[np.isnan(tops)] = NO_SURFACE
        return _Probed(stations, walls, places, across, tops, tilts, beneath, low_tilts, on_part, state)

    def _is_grazed(
        self, places: Floats, across: Floats, tops: Floats, tilts: Floats, beneath: Floats, low_tilts: Floats
    ) -> Bools:
        """(n,): whether something stands higher at one of the sides than below the middle."""
        grazed = np.zeros(len(places), bool)
        for sign in (1, -1):
            beside = places + sign * self._half * across
            level = np.nan_to_num(tops + np.minimum(sign * tilts, 0)) - _BEGIN_BELOW_MM
            drops = nearest_distances(self._obstacles, np.column_stack([beside, level]), DOWN)
            there = np.where(np.isfinite(drops), level - drops, 0.0)
            grazed |= there > np.maximum(beneath + sign * low_tilts, beneath) + _SIDE_SPARE_MM
        return grazed

    def _jumps(self, probed: _Probed) -> Bools:
        """(c,): stretches over which what is below changes at once."""
        same = np.append(np.diff(probed.walls) == 0, False)
        step = np.diff(probed.stations, append=np.inf)
        rise = np.abs(np.diff(probed.beneath, append=0.0))
        other = np.append(probed.on_part[1:] != probed.on_part[:-1], False)
        changed = np.append(probed.state[1:] != probed.state[:-1], False)
        result: Bools = same & ((rise > 0.3 + 1.5 * step) | other | changed)
        return result

    def _finished(self, probed: _Probed, least_height: float) -> Courses:
        jumps = self._jumps(probed)
        lows = np.column_stack([probed.beneath, np.append(probed.beneath[1:], 0.0)])
        lows[jumps] = lows[jumps].max(axis=1, keepdims=True)
        tops = np.column_stack([probed.tops, np.append(probed.tops[1:], 0.0)])
        following = np.append(probed.state[1:], FREE)
        state = np.where(probed.state == FREE, following, probed.state)
        on_part = probed.on_part | np.append(probed.on_part[1:], False)
        match self._footing.ends_on:
            case "plate":
                state[(state == FREE) & on_part] = IN_THE_WAY
            case "level":
                level = self._footing.level
                lows = np.maximum(lows, level if self._footing.level_from == "plate" else tops - level)
                on_part = on_part & (lows.min(axis=1) <= probed.beneath + 1e-9)
        low = (tops - lows).min(axis=1) < least_height
        state[(state == FREE) & low] = TOO_LOW
        last = np.append(np.diff(probed.walls) != 0, True)
        state[last] = NO_SURFACE
        regions = np.array([self._floors[path.floor].region for path in self._paths], np.int64)
        on_part = on_part & ~jumps
        upper, lower = self._upper_lifts(probed, state), self._lower_lifts(probed, on_part, jumps)
        if not self._contacts[1].is_bite:
            off = self._off_steps(probed, lower, jumps)
            is_raised = off > lows.min(axis=1)
            lows[is_raised], on_part = off[is_raised, None], on_part & ~is_raised
        if not self._contacts[0].is_bite:
            state[(state == FREE) & self._passes_near(probed, lows, upper, lower)] = TOO_NEAR
        return Courses(
            self._paths, self._lines, probed.walls, probed.stations, probed.places, probed.across,
            np.nan_to_num(probed.tops), upper, lows, lower, on_part, state, regions,
        )  # fmt: skip

    def _off_steps(self, probed: _Probed, lower: Lifts, jumps: Bools) -> Floats:
        """(c,): how high stretches begin to stay off steps of what is below, over them and beside; -inf for others."""
        lift = np.maximum(lower.middles, 0.0) + np.maximum(lower.tilts.max(axis=1), 0.0)
        off = probed.beneath + np.where(probed.on_part, lift, 0.0)
        result = np.full(len(off), -np.inf)
        reach = self._contacts[1].distance + self._half
        stations, walls = probed.stations, probed.walls
        steps = np.flatnonzero(jumps[:-1])
        climbs = probed.beneath[steps] < probed.beneath[steps + 1]
        level = np.maximum(off[steps], off[steps + 1])
        first = np.where(climbs, np.searchsorted(stations, stations[steps] - reach, side="right") - 1, steps)
        last = np.where(climbs, steps, np.searchsorted(stations, stations[steps + 1] + reach) - 1)
        owners, within = counted_out(np.maximum(last, steps) - np.clip(first, 0, steps) + 1)
        stretch = np.clip(first, 0, steps)[owners] + within
        kept = walls[stretch] == walls[steps[owners]]
        np.maximum.at(result, stretch[kept], level[owners[kept]])
        ends = np.maximum(off, np.append(off[1:], -np.inf))
        return np.where(np.isfinite(result), np.maximum(result, ends), -np.inf)

    def _passes_near(self, probed: _Probed, lows: Floats, upper: Lifts, lower: Lifts) -> Bools:
        """(c,): stretches at whose ends the wall comes nearer to a part beside it than the gap that it keeps above."""
        distance = self._contacts[0].distance
        high = np.nan_to_num(probed.tops) + upper.middles
        begins = lows.min(axis=1)
        begins[1:] = np.where(np.diff(probed.walls) == 0, np.minimum(begins[1:], lows[:-1, 1]), begins[1:])
        low = np.minimum(begins + np.maximum(lower.middles, 0.0), high)
        near = np.zeros(len(high), bool)
        none = np.zeros(len(high))
        sides = [(0.0, none, none)]
        if self._half > 0:
            tilts = [(upper.tilts[:, side], np.maximum(lower.tilts[:, side], 0.0)) for side in (0, 1)]
            sides += [(self._half, *tilts[0]), (-self._half, *tilts[1])]
        for side, tilt, low_tilt in sides:
            plan = probed.places + side * probed.across
            starts, stops = np.column_stack([plan, low + low_tilt]), np.column_stack([plan, high + tilt])
            away = clearances(self._obstacles, starts, stops, np.full(len(high), distance))
            near |= away < distance - _GAP_SPARE_MM
        result: Bools = near | np.append(near[1:], False)
        return result

    def _upper_lifts(self, probed: _Probed, state: Longs) -> Lifts:
        """Of tabs at the part above, from the part's offset over each column and both its sides."""
        free = state == FREE
        free[1:] |= free[:-1].copy()
        follows = np.diff(probed.walls) == 0
        tops = np.nan_to_num(probed.tops)
        return self._lifts(probed, tops, probed.tilts, free, follows, self._obstacles[:1], is_below=True)

    def _lower_lifts(self, probed: _Probed, on_part: Bools, jumps: Bools) -> Lifts:
        """Of tabs on what is below, the other way round: above 0 where they stay off it. No edge leads over a step."""
        stands = on_part | (jumps & probed.on_part)
        stands[1:] |= on_part[:-1] | (jumps[:-1] & probed.on_part[1:])
        follows = (np.diff(probed.walls) == 0) & ~jumps[:-1]
        return self._lifts(probed, probed.beneath, probed.low_tilts, stands, follows, self._obstacles, is_below=False)

    def _lifts(
        self, probed: _Probed, heights: Floats, tilts: Floats, which: Bools, follows: Bools,
        obstacles: Sequence[Obstacle], *, is_below: bool,
    ) -> Lifts:  # fmt: skip
        """`which` (c,) of the columns end there; `follows` (c - 1,): the edge goes on from a column to the next."""
        contact = self._contacts[0] if is_below else self._contacts[1]
        sides = np.array([0.0, self._half, -self._half]) if self._half > 0 else np.zeros(1)
        guess = heights[:, None] + tilts[:, None] * (np.sign(sides) if self._half > 0 else sides)
        ends = guess.copy()
        some = np.flatnonzero(which)
        plan = probed.places[some, None] + sides[:, None] * probed.across[some, None]
        reach = np.full(len(some), 4 * self._half + 2 * contact.distance + _SIDE_SPARE_MM)
        ends[some] = surface_offsets(obstacles, plan, guess[some], contact, reach, is_below=is_below).offset
        beside = ends[:, 1:] - ends[:, :1] if self._half > 0 else np.zeros((len(ends), 2))
        # From side to side a wall ends straight: it goes no further beyond the middle than its value there.
        further = beside.mean(axis=1, keepdims=True)
        beside -= np.maximum(further, 0.0) if is_below else np.minimum(further, 0.0)
        beside = np.clip(beside, -_STEEPEST * self._half, _STEEPEST * self._half)
        if not contact.is_bite and len(some):
            levels = ends[some, :1] + (np.column_stack([np.zeros(len(some)), beside[some]]))[:, : len(sides)]
            spots = np.concatenate([plan, levels[..., None]], axis=2)
            joined = (np.diff(some) == 1) & follows[some[:-1]]
            ends[some, 0] += off_by_a_gap(spots, joined, contact.distance, obstacles, is_below=is_below)
        return Lifts(ends[:, 0] - heights, beside)


@dataclass(frozen=True, eq=False)
class _Probed(Rows):
    stations: Floats
    walls: Longs
    places: Floats
    across: Floats
    tops: Floats
    tilts: Floats
    beneath: Floats
    low_tilts: Floats
    on_part: Bools
    state: Longs


def _merged(one: _Probed, other: _Probed) -> _Probed:
    order = np.argsort(np.concatenate([one.stations, other.stations]), kind="stable")
    return _Probed.joined([one, other]).only(order)


def _nearest(known: Floats, asked: Floats) -> Longs:
    """(n, 2): the known values before and after each asked one."""
    after = np.clip(np.searchsorted(known, asked), 1, len(known) - 1) if len(known) > 1 else np.zeros(len(asked), int)
    return np.column_stack([np.maximum(after - 1, 0), after])


def _crossing(a: Floats, b: Floats, c: Floats, d: Floats) -> Floats:
    """(n,): how far along a–b the line through c–d crosses it; outside 0 to 1 where they are parallel."""
    u, v, w = b - a, d - c, c - a
    turn = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    flat = np.abs(turn) < 1e-12
    share = (w[:, 0] * v[:, 1] - w[:, 1] * v[:, 0]) / np.where(flat, 1, turn)
    return np.where(flat, -1.0, share)


def _slope(normals: Floats, across: Floats) -> Floats:
    """(n,): how much a plane rises over a step `across` (n, 2)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        rise = -(normals[:, :2] * across).sum(axis=1) / normals[:, 2]
    return np.where(np.abs(normals[:, 2]) > 0.02, rise, 0.0)


def _filled(tops: Floats, walls: Longs, stations: Floats) -> Floats:
    """Heights that a ray missed at the rim's very edge, from the next column of the same wall."""
    missing = np.flatnonzero(np.isnan(tops))
    known = np.flatnonzero(~np.isnan(tops))
    if not len(missing) or not len(known):
        return tops
    result = tops.copy()
    for near in _nearest(known.astype(np.float64), missing.astype(np.float64)).T:
        beside = known[near]
        close = (walls[beside] == walls[missing]) & (np.abs(stations[beside] - stations[missing]) < 2 * STEP_MM)
        fill = np.isnan(result[missing]) & close
        result[missing[fill]] = tops[beside[fill]]
    return result
