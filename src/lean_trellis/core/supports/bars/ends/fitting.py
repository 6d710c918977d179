"""How heads are fitted to parts: they follow the surface at the depth or the gap of their set.

Their heights are those of the part's offset over them: so a bite is as deep, and a gap as wide, over the whole head, on
slopes and on round surfaces, too.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs
from lean_trellis.core.mesh.distance import corner_clearances, place_clearances
from lean_trellis.core.mesh.plan_grid import PlanGrid
from lean_trellis.core.supports.bars.ends.heads import HeadGrid, Heads, Seats
from lean_trellis.core.supports.common.contacts import Contact
from lean_trellis.core.supports.common.obstacle import Obstacle, clearances_of_groups, is_inside
from lean_trellis.core.supports.common.offsets import surface_offsets

_FLAT_MM = 0.05
"""By so much a place may lie beyond the line or the plane through its neighbours nearer to the middle: so the flat
between comes nearer to the part, where that bends away, by no more than this."""
_STEEPEST = float(np.tan(np.radians(75)))
"""A head rises and falls from its middle no more steeply."""
_FALLS = float(np.tan(np.radians(30)))
"""Where it would fall below the plane of its seat by more than so much a millimetre, a wall is beside: no room."""
_SHARES = (1.0, 0.75, 0.5)
_FARTHEST_OFF = 4.0
"""A head whose middle is farther from the surface above it than so many gaps is in a slot too narrow for it."""
_NEARER_MM = 0.01
"""By so much a head may be nearer, or deeper, than asked."""
_SMOOTH = float(np.cos(np.radians(35)))
"""Below a smooth surface no face turns away from a head's seat by more; where two do, a bite is 5 % too deep."""
_TRIES = 4


def heads_at(
    seats: Seats, obstacles: Sequence[Obstacle], contact: Contact, grid: HeadGrid,
    is_clear: Callable[[Longs, Heads], Bools] | None = None,
) -> Heads:  # fmt: skip
    """Heads at all seats, as wide as asked or as there is room for: three quarters, or half.

    `is_clear` tells of heads at seats by their numbers whether there is room for what is behind them, too.
    """
    heads: Heads | None = None
    for share in _SHARES:
        narrow = np.ones(len(seats.radii), bool) if heads is None else ~heads.fits
        if heads is not None and not narrow.any():
            break
        some = replace(seats.only(narrow), radii=seats.radii[narrow] * share)
        again = _sized(some, obstacles, contact, grid)
        if is_clear is not None:
            again.fits[again.fits] &= is_clear(np.flatnonzero(narrow)[again.fits], again.only(again.fits))
        if heads is None:
            heads = again
            continue
        for key in ("tops", "necks", "radii", "fits"):
            getattr(heads, key)[narrow] = getattr(again, key)
    assert heads is not None
    return heads


def keeps_off(
    at: Floats, sides: Sequence[tuple[Floats, Floats]], grid: HeadGrid, obstacles: Sequence[Obstacle], gap: float
) -> Bools:
    """(n,): whether what is behind heads at (n, 2) places stays a gap off parts, but for a hundredth of a millimetre.

    `sides` are rings of it from below upward, as solids are made: radii (n,) and the heights of their corners (n, k).
    """
    count = len(at)
    rings = np.stack([
        np.concatenate([at[:, None] + size[:, None, None] * grid.circle, level[..., None]], axis=2)
        for size, level in sides
    ], axis=1)  # fmt: skip
    lower, upper = rings[:, :-1], rings[:, 1:]
    beside = np.roll(upper, -1, axis=2)
    flats = np.stack([lower, np.roll(lower, -1, axis=2), beside, lower, beside, upper], axis=3)
    each = (len(sides) - 1) * grid.corners
    lower, upper = lower.reshape(count, each, 3), upper.reshape(count, each, 3)
    flats = flats.reshape(count, 2 * each, 3, 3)
    away = clearances_of_groups(obstacles, lower, upper, gap).min(axis=1)
    for obstacle in obstacles:
        away = np.minimum(away, corner_clearances(obstacle.placed, flats, gap).min(axis=1))
    result: Bools = away >= gap - _NEARER_MM
    return result


def _sized(seats: Seats, obstacles: Sequence[Obstacle], contact: Contact, grid: HeadGrid) -> Heads:
    """Heads of just these radii."""
    steps = seats.radii[:, None, None] * grid.steps
    places = seats.places[:, None, :2] + steps
    away = np.hypot(steps[..., 0], steps[..., 1])
    sign = 1.0 if seats.is_below else -1.0
    slope = -seats.normals[:, :2] / np.copysign(np.maximum(np.abs(seats.normals[:, 2:]), 1e-3), seats.normals[:, 2:])
    slope *= np.minimum(1.0, _STEEPEST / np.maximum(np.hypot(slope[:, 0], slope[:, 1]), 1e-9))[:, None]
    guess = seats.places[:, 2, None] + (steps * slope[:, None]).sum(axis=2)
    reach = 4 * seats.radii + 2 * contact.distance
    offsets = surface_offsets(obstacles, places, guess, contact, reach, is_below=seats.is_below)
    surface, offset = offsets.surface * sign, offsets.offset * sign
    middle = offset[:, -1:]
    fits = np.ones(len(middle), bool)
    if not contact.is_bite:
        plane = (steps * slope[:, None]).sum(axis=2) * sign
        fits = np.logical_and.reduce(middle + plane - offset <= _FALLS * away + 1e-6, axis=1)
        fits &= surface[:, -1] - middle[:, 0] <= _FARTHEST_OFF * contact.distance + 1e-6
    else:  # the middle as its seat tells: of a low edge, which face lies over it is a toss-up
        deep = seats.places[:, 2] * sign + contact.distance * np.sqrt(1 + (slope**2).sum(axis=1))
        middle = offset[:, -1:] = np.minimum(middle, deep[:, None])
    slopes = np.where(offsets.over[..., None], offsets.slopes, slope[:, None]) * sign
    slopes[:, -1] = slope * sign
    tops = _without_bridges(np.maximum(offset, middle - _STEEPEST * away), slopes, steps, grid)
    tops = np.minimum(tops, middle + _STEEPEST * away)
    fitting = _Fitting(seats.only(fits), obstacles, contact, grid)
    fit = fitting.no_deeper if contact.is_bite else fitting.off
    tops[fits], fits[fits] = fit(tops[fits], surface[fits])
    rim = slice(0, grid.corners)
    # What of a bite is in the part begins at the surface; below a gap there are full layers.
    below = tops[:, rim] - surface[:, rim] if contact.is_bite else np.full((1, 1), contact.dense)
    necks = tops[:, rim] - np.clip(below, min(_FLAT_MM, contact.distance), None)
    return Heads(tops * sign, necks * sign, seats.radii.copy(), fits)


@dataclass(frozen=True, eq=False)
class _Fitting:
    """Heads that are fitted to parts: where they sit, as which grid, at which distance of which parts."""

    seats: Seats
    obstacles: Sequence[Obstacle]
    contact: Contact
    grid: HeadGrid

    @property
    def sign(self) -> float:
        """Tops are heights times this: the larger, the nearer to the part."""
        return 1.0 if self.seats.is_below else -1.0

    @cached_property
    def plan(self) -> Floats:
        """(n, p, 2): the places of all heads."""
        result: Floats = self.seats.places[:, None, :2] + self.seats.radii[:, None, None] * self.grid.steps
        return result

    @cached_property
    def edges(self) -> Ints:
        """(e, 2): which places are joined by an edge."""
        return self.grid.edges(is_below=self.seats.is_below)

    def only(self, which: Bools) -> _Fitting:
        """Some of them."""
        return replace(self, seats=self.seats.only(which))

    def spots(self, tops: Floats) -> Floats:
        """(n, p, 3): all places at their tops (n, p)."""
        return np.concatenate([self.plan, tops[..., None] * self.sign], axis=2)

    def too_near(self, heights: Floats, at: Floats, guess: Floats, *, from_guess: bool) -> Floats:
        """(n, k): by how much the part is nearer along z to heights over places (n, k, 2) than the gap."""
        reach = 4 * self.seats.radii + 2 * self.contact.distance
        offsets = surface_offsets(
            self.obstacles, at, guess * self.sign, self.contact, reach, is_below=self.seats.is_below,
            from_guess=from_guess,
        )  # fmt: skip
        result: Floats = np.maximum(heights - offsets.offset * self.sign, 0.0)
        return result

    def is_rough(self, tops: Floats, surface: Floats) -> Bools:
        """(n,): whether a face near a head turns away from its seat by more than a smooth surface does under a head.

        A bite is spoilt by faces alone that stick out before its seat: beyond a rim it is in the part or beside it.
        """
        away = self.contact.distance
        ends = np.stack([tops.min(axis=1), tops.max(axis=1), surface.min(axis=1), surface.max(axis=1)]) * self.sign
        lows = np.column_stack([self.plan.min(axis=1), ends.min(axis=0)]) - away
        highs = np.column_stack([self.plan.max(axis=1), ends.max(axis=0)]) + away
        result = np.zeros(len(tops), bool)
        for obstacle in self.obstacles:
            mesh = obstacle.placed
            for face, head in PlanGrid.of(mesh).pairs(lows, highs):
                turned = np.einsum("ij,ij->i", mesh.normals[face], self.seats.normals[head]) < _SMOOTH
                face, head = face[turned], head[turned]
                if self.contact.is_bite:
                    steps = mesh.vertices[mesh.faces[face]] - self.seats.places[head, None]
                    out = np.einsum("ijk,ik->ij", steps, self.seats.normals[head]).max(axis=1, initial=0.0)
                    head = head[out > _NEARER_MM]
                result[head] = True
        return result

    def off(self, tops: Floats, surface: Floats) -> tuple[Floats, Bools]:
        """Tops (n, p) let down where the flat between two comes nearer to the part than the gap, and which fit."""
        one, other = self.edges.T
        halfway = (tops[:, one] + tops[:, other]) / 2
        size = self.seats.radii[:, None, None]
        between = self.seats.places[:, None, :2] + size * (self.grid.steps[one] + self.grid.steps[other]) / 2
        guess = halfway + self.contact.distance  # about where the surface is
        near = self.too_near(halfway, between, guess, from_guess=False)
        near = np.where(near < _FARTHEST_OFF * self.contact.distance, near, 0.0)
        tops = self._let_down(tops, near)
        fits, rough = np.ones(len(tops), bool), self.is_rough(tops, surface)
        if rough.any():
            tops[rough], fits[rough] = self.only(rough)._off_what_is_rough(tops[rough])
        return tops, fits

    def _off_what_is_rough(self, tops: Floats) -> tuple[Floats, Bools]:
        """Beyond a rim a place may be on the other side of an edge than its seat, or a corner stick out between two."""
        tops = tops - self.too_near(tops, self.plan, tops, from_guess=True)
        lacks = np.ones(len(tops), bool)
        for _ in range(_TRIES):
            missing = self.only(lacks)._missing(tops[lacks])
            tops[lacks] -= np.where(missing > _NEARER_MM, 1.5 * missing, 0.0)
            lacks[lacks] = missing.max(axis=1) > _NEARER_MM
            if not lacks.any():
                break
        return tops, ~lacks

    def _missing(self, tops: Floats) -> Floats:
        """(n, p): by how much an edge or a triangle at each place is nearer to the parts than the gap."""
        spots, gap, edges = self.spots(tops), self.contact.distance, self.edges
        triangles = self.grid.triangles(is_below=self.seats.is_below)
        away = clearances_of_groups(self.obstacles, spots[:, edges[:, 0]], spots[:, edges[:, 1]], gap)
        flats = np.full((len(tops), len(triangles)), gap)
        for obstacle in self.obstacles:
            flats = np.minimum(flats, corner_clearances(obstacle.placed, spots[:, triangles], gap))
        result = np.zeros(tops.shape)
        for ends, near in ((edges, away), (triangles, flats)):
            for end in ends.T:
                np.maximum.at(result.T, end, (gap - near).T)
        return result

    def _let_down(self, tops: Floats, by: Floats) -> Floats:
        """Both ends of each edge let down by so much (n, e)."""
        down = np.zeros(tops.shape)
        for ends in self.edges.T:
            np.maximum.at(down.T, ends, by.T)
        return tops - down

    def no_deeper(self, tops: Floats, surface: Floats) -> tuple[Floats, Bools]:
        """Tops (n, p) of a bite let down where two faces meet in a valley, and whether no place is deeper then.

        There the whole part is farther away than the face over a place is along its normal: by a part of
        1 / cos(φ / 2) - 1 where the faces are turned against each other by φ.
        """
        fits, rough = np.ones(len(tops), bool), self.is_rough(tops, surface)
        if rough.any():
            tops = tops.copy()
            tops[rough], fits[rough] = self.only(rough)._no_deeper_than_asked(tops[rough], surface[rough])
        return tops, fits

    def _no_deeper_than_asked(self, tops: Floats, surface: Floats) -> tuple[Floats, Bools]:
        distance, tops = self.contact.distance, tops.copy()
        too_deep = np.ones(len(tops), bool)
        for _ in range(_TRIES):
            some, own, over = self.only(too_deep), tops[too_deep], surface[too_deep]
            depth = some._depths(own)
            share = np.where(depth > distance + 1e-6, distance / np.maximum(depth, distance), 1.0)
            lacks = depth.max(axis=1) > distance + _NEARER_MM
            too_deep[too_deep] = lacks
            if not lacks.any():
                break
            tops[too_deep] = np.where(own > over, over + (own - over) * share, own)[lacks]
        return tops, ~too_deep

    def _depths(self, tops: Floats) -> Floats:
        """(n, p): how deep in a part each place is; 0 for all of a head of which none is deeper than asked."""
        spots, asked = self.spots(tops), self.contact.distance + _NEARER_MM
        depth = np.zeros(tops.shape)
        far = np.logical_or.reduce(self._off_parts(spots, asked) >= asked, axis=1)
        if far.any():  # only of these it matters how far, and on which side
            inside = is_inside(self.obstacles, spots[far].reshape(-1, 3)).reshape(-1, tops.shape[1])
            depth[far] = np.where(inside, self._off_parts(spots[far], _FARTHEST_OFF * self.contact.distance), 0.0)
        return depth

    def _off_parts(self, spots: Floats, search_mm: float) -> Floats:
        """(n, p): how far places (n, p, 3) are from the nearest part."""
        away = np.full(spots.shape[:2], search_mm)
        for obstacle in self.obstacles:
            away = np.minimum(away, place_clearances(obstacle.placed, spots, search_mm))
        return away


def _without_bridges(tops: Floats, slopes: Floats, steps: Floats, grid: HeadGrid) -> Floats:
    """Tops (n, p) such that no flat between two places bridges a bend of the part: the outer one goes on level with it.

    `slopes` (n, p, 2) is how the part rises over each. From the middle out, then round each ring: of two neighbours the
    one over a face that turns away from the middle's gives way.
    """
    middle, count = len(grid.steps) - 1, grid.corners
    tops = tops.copy()
    spare = _FLAT_MM * np.sqrt(1 + (slopes**2).sum(axis=2))
    turned = np.hypot(*np.moveaxis(slopes - slopes[:, -1:], 2, 0))

    def bounded(which: Ints, by: Ints, allowed: Bools | bool = True, behind: Floats | None = None) -> None:
        bound = tops[:, by] + ((steps[:, which] - steps[:, by]) * slopes[:, by]).sum(axis=2)
        if behind is not None:  # the line on from what is as far behind the neighbour: rings are evenly apart
            bound = np.maximum(bound, 2 * tops[:, by] - behind)
        tops[:, which] = np.where(allowed, np.minimum(tops[:, which], bound + spare[:, by]), tops[:, which])

    corner = np.arange(count, dtype=np.int32)
    for ring in range(grid.rings - 1, -1, -1):
        mine = ring * count + corner
        if ring == grid.rings - 1:  # beyond the middle, on its other side
            across = tops[:, np.roll(mine, -(count // 2))], tops[:, np.roll(mine, -((count + 1) // 2))]
            bounded(mine, np.full(count, middle, np.int32), behind=(across[0] + across[1]) / 2)
        else:
            behind = mine + 2 * count if ring < grid.rings - 2 else np.full(count, middle, np.int32)
            bounded(mine, mine + count, behind=tops[:, behind])
        for turn in (1, -1) if ring < grid.rings - 1 else ():
            aslant = (ring + 1) * count + np.roll(corner, turn)
            bounded(mine, aslant, turned[:, mine] > turned[:, aslant] + 1e-9)
        for turn in (1, -1):
            beside = ring * count + np.roll(corner, turn)
            bounded(mine, beside, turned[:, mine] > turned[:, beside] + 1e-9)
    return tops
