"""Heads: the ends of bars that meet a part. They follow its surface at the depth or the gap of their set.

The end of a tip seen along z is the polygon of its bar. Its heights are those of the part's offset over it, at corners,
on rings inside and in the middle: so a bite is as deep, and a gap as wide, over the whole head, on slopes and on round
surfaces, too.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Rows
from lean_trellis.core.supports.common.contacts import Contact
from lean_trellis.core.supports.common.obstacle import Obstacle
from lean_trellis.core.supports.common.offsets import surface_offsets

_CORNERS_MM, _RINGS_MM = 0.55, 0.4
"""Corners and rings of a head lie no farther apart: under a ball of 10 mm radius the flat between is 4 microns off."""
_ONE_RING_MM = 0.2
"""Heads of no larger radius have no ring inside their rim."""
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


@dataclass(frozen=True)
class HeadGrid:
    """Where heights are taken on a head: `rings` of so many `corners`, the rim first, then the middle."""

    sides: int
    corners: int
    rings: int

    @classmethod
    def of(cls, sides: int, diameter: float) -> HeadGrid:
        """As fine as a head of a diameter asks for; corners are those of the bar and places on its sides."""
        side = np.pi * diameter / sides
        rings = 1 if diameter / 2 <= _ONE_RING_MM else max(2, int(np.ceil(diameter / 2 / _RINGS_MM)))
        return cls(sides, sides * max(1, int(np.ceil(side / _CORNERS_MM))), rings)

    @cached_property
    def circle(self) -> Floats:
        """(k, 2): the corners of a bar of radius 1, with those on its sides."""
        turns = 2 * np.pi * (np.arange(self.sides + 1) + 0.5) / self.sides
        corners = np.column_stack([np.cos(turns), np.sin(turns)])
        share = np.arange(self.corners // self.sides)[:, None] / (self.corners // self.sides)
        along = corners[:-1, None] * (1 - share) + corners[1:, None] * share
        return along.reshape(-1, 2)

    @cached_property
    def edges(self) -> Ints:
        """(e, 2): which places are joined by an edge of a head's triangles."""
        corner, count = np.arange(self.corners, dtype=np.int32), self.corners
        pairs = []
        for ring in range(self.rings):
            mine = ring * count + corner
            pairs.append(np.column_stack([mine, np.roll(mine, -1)]))
            is_last = ring == self.rings - 1
            inner = np.full(count, self.rings * count, np.int32) if is_last else mine + count
            pairs.append(np.column_stack([mine, inner]))
            if not is_last:
                pairs.append(np.column_stack([mine, np.roll(inner, -1)]))
        return np.concatenate(pairs)

    @cached_property
    def steps(self) -> Floats:
        """(rings · corners + 1, 2): all places on a head of radius 1."""
        sizes = 1 - np.arange(self.rings) / self.rings
        return np.concatenate([(sizes[:, None, None] * self.circle).reshape(-1, 2), np.zeros((1, 2))])


@dataclass(frozen=True, eq=False)
class Heads(Rows):
    """Heads of bars: heights `tops` (n, p) over the places of their grid and `necks` (n, k), where they begin.

    `radii` (n,) may be less than asked where there is no room; `fits` (n,) tells whether there is any.
    """

    tops: Floats
    necks: Floats
    radii: Floats
    fits: Bools

    def __len__(self) -> int:
        return len(self.radii)

    @property
    def middles(self) -> Floats:
        """(n,): the height of each in its middle."""
        result: Floats = self.tops[:, -1]
        return result

    def rings(self, at: Floats, radii: Floats, grid: HeadGrid) -> tuple[Floats, Floats]:
        """(n, r, k, 3) rings of corners at (n, 2) places, the rim first, and their middles (n, 3)."""
        plan = at[:, None] + radii[:, None, None] * grid.steps
        places = np.concatenate([plan, self.tops[..., None]], axis=2)
        return places[:, :-1].reshape(len(at), grid.rings, grid.corners, 3), places[:, -1]

    def neck_rings(self, at: Floats, radii: Floats, grid: HeadGrid) -> Floats:
        """(n, 1, k, 3): where heads begin, at (n, 2) places."""
        plan = at[:, None] + radii[:, None, None] * grid.circle
        return np.concatenate([plan, self.necks[..., None]], axis=2)[:, None]

    def tilts(self, grid: HeadGrid) -> Floats:
        """(n, 2): how the rim of each rises along x and y, as a plane: what a coarse picture of it shows."""
        rim = self.tops[:, : grid.corners]
        level = rim - rim.mean(axis=1, keepdims=True)
        result: Floats = level @ grid.circle / (grid.circle**2).sum(axis=0) / np.maximum(self.radii, 1e-9)[:, None]
        return result

    def slopes(self) -> Floats:
        """(n,): how steeply the steepest way from the middle of each leads down or up to its rim."""
        corners = self.necks.shape[1]
        away = np.abs(self.tops[:, :corners] - self.middles[:, None]).max(axis=1)
        result: Floats = away / np.maximum(self.radii, 1e-9)
        return result


def level_rings(centres: Floats, radii: Floats, circle: Floats) -> Floats:
    """(n, r, k, 3): level rings round centres (n, r, 3), as the circle (k, 2) of radius 1 has corners."""
    steps = np.column_stack([circle, np.zeros(len(circle))])
    result: Floats = centres[:, :, None] + radii[:, :, None, None] * steps
    return result


def level_heads(heights: Floats, radii: Floats, grid: HeadGrid) -> Heads:
    """Flat ends at heights (n,): those that meet no part."""
    tops = np.repeat(heights[:, None], len(grid.steps), axis=1)
    return Heads(tops, tops[:, : grid.corners].copy(), radii, np.ones(len(radii), bool))


@dataclass(frozen=True, eq=False)
class Seats:
    """Where heads are to be: `places` (n, 3) on a surface, its `normals` (n, 3), and the `radii` (n,) asked for.

    `is_below` is for heads that meet the surface from below; else they stand on it.
    """

    places: Floats
    normals: Floats
    radii: Floats
    is_below: bool

    def only(self, which: Bools) -> Seats:
        """Some of them."""
        return replace(self, places=self.places[which], normals=self.normals[which], radii=self.radii[which])


def heads_at(
    seats: Seats, obstacles: Sequence[Obstacle], contact: Contact, grid: HeadGrid,
    is_clear: Callable[[Seats, Heads], Bools] | None = None,
) -> Heads:  # fmt: skip
    """Heads at all seats, as wide as asked or as there is room for: three quarters, or half.

    `is_clear` tells whether there is room for what is behind a head, too.
    """
    heads: Heads | None = None
    for share in _SHARES:
        narrow = np.ones(len(seats.radii), bool) if heads is None else ~heads.fits
        if heads is not None and not narrow.any():
            break
        some = replace(seats.only(narrow), radii=seats.radii[narrow] * share)
        again = _sized(some, obstacles, contact, grid)
        if is_clear is not None:
            again.fits[again.fits] &= is_clear(some.only(again.fits), again.only(again.fits))
        if heads is None:
            heads = again
            continue
        for key in ("tops", "necks", "radii", "fits"):
            getattr(heads, key)[narrow] = getattr(again, key)
    assert heads is not None
    return heads


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
    found = surface_offsets(obstacles, places, guess, contact, reach, is_below=seats.is_below)
    surface, offset = found.surface * sign, found.offset * sign
    middle = offset[:, -1:]
    fits = np.ones(len(middle), bool)
    if not contact.is_bite:
        plane = (steps * slope[:, None]).sum(axis=2) * sign
        fits = np.logical_and.reduce(middle + plane - offset <= _FALLS * away + 1e-6, axis=1)
        fits &= surface[:, -1] - middle[:, 0] <= _FARTHEST_OFF * contact.distance + 1e-6
    else:  # the middle as its seat tells: of a low edge, which face lies over it is a toss-up
        deep = seats.places[:, 2] * sign + contact.distance * np.sqrt(1 + (slope**2).sum(axis=1))
        middle = offset[:, -1:] = np.minimum(middle, deep[:, None])
    slopes = np.where(found.over[..., None], found.slopes, slope[:, None]) * sign
    slopes[:, -1] = slope * sign
    tops = _without_bridges(np.maximum(offset, middle - _STEEPEST * away), slopes, steps, grid)
    tops = np.minimum(tops, middle + _STEEPEST * away)
    if not contact.is_bite:
        tops = _off_between(tops, seats, obstacles, contact, grid)
    rim = slice(0, grid.corners)
    # What of a bite is in the part begins at the surface; below a gap there are full layers.
    below = tops[:, rim] - surface[:, rim] if contact.is_bite else np.full((1, 1), contact.dense)
    necks = tops[:, rim] - np.clip(below, min(_FLAT_MM, contact.distance), None)
    return Heads(tops * sign, necks * sign, seats.radii.copy(), fits)


def _off_between(tops: Floats, seats: Seats, obstacles: Sequence[Obstacle], contact: Contact, grid: HeadGrid) -> Floats:
    """Tops (n, p) let down where the flat between two places comes nearer to the part than the gap, halfway."""
    sign = 1.0 if seats.is_below else -1.0
    one, other = grid.edges.T
    steps = seats.radii[:, None, None] * (grid.steps[one] + grid.steps[other]) / 2
    halfway = (tops[:, one] + tops[:, other]) / 2
    reach = 4 * seats.radii + 2 * contact.distance
    places = seats.places[:, None, :2] + steps
    guess = (halfway + contact.distance) * sign  # about where the surface is, from the gap below it
    found = surface_offsets(obstacles, places, guess, contact, reach, is_below=seats.is_below)
    near = np.maximum(halfway - found.offset * sign, 0.0)
    near = np.where(near < _FARTHEST_OFF * contact.distance, near, 0.0)
    down = np.zeros(tops.shape)
    for ends in (one, other):
        np.maximum.at(down.T, ends, near.T)
    return tops - down


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


@dataclass(frozen=True, eq=False)
class Ends:
    """Both ends of all bars: the grid of their heads, `upper` at tips and `lower` at what stands on a part."""

    grid: HeadGrid
    upper: Heads
    lower: Heads
