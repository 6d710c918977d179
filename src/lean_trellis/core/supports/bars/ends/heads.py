"""Heads: the ends of bars that meet a part, as heights over places on them.

The end of a tip seen along z is the polygon of its bar; its heights are kept at corners, on rings inside and in the
middle.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Rows

_CORNERS_MM, _RINGS_MM = 0.55, 0.4
"""Corners and rings of a head lie no farther apart: under a ball of 10 mm radius the flat between is 4 microns off."""
_ONE_RING_MM = 0.2
"""Heads of no larger radius have no ring inside their rim."""


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

    def edges(self, *, is_below: bool) -> Ints:
        """(e, 2): which places are joined by an edge of the triangles of a head `is_below` a surface, or on one."""
        return self._upper_edges if is_below else _mirrored(self._upper_edges, self)

    def triangles(self, *, is_below: bool) -> Ints:
        """(t, 3): the places at the corners of the triangles of a head `is_below` a surface, or on one."""
        return self._upper_triangles if is_below else _mirrored(self._upper_triangles, self)

    @cached_property
    def _upper_edges(self) -> Ints:
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
    def _upper_triangles(self) -> Ints:
        corner, count = np.arange(self.corners, dtype=np.int32), self.corners
        triangles = []
        for ring in range(self.rings):
            mine = ring * count + corner
            beside = np.roll(mine, -1)
            if ring == self.rings - 1:
                triangles.append(np.column_stack([mine, beside, np.full(count, self.rings * count, np.int32)]))
            else:
                triangles += [np.column_stack([mine, beside, beside + count]),
                          np.column_stack([mine, beside + count, mine + count])]  # fmt: skip
        return np.concatenate(triangles)

    @cached_property
    def steps(self) -> Floats:
        """(rings · corners + 1, 2): all places on a head of radius 1."""
        sizes = 1 - np.arange(self.rings) / self.rings
        return np.concatenate([(sizes[:, None, None] * self.circle).reshape(-1, 2), np.zeros((1, 2))])


def _mirrored(places: Ints, grid: HeadGrid) -> Ints:
    """The same places with the corners of each ring counted the other way round.

    Solids are made from below upward, and each of their walls is split from its lower left to its upper right corner:
    seen from the part, a lower end is split the other way than a tip.
    """
    ring, corner = np.divmod(places, grid.corners)
    result: Ints = np.where(ring < grid.rings, ring * grid.corners + (-corner) % grid.corners, places)
    return result


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

    def as_planes(self, grid: HeadGrid, coarse: HeadGrid) -> Heads:
        """The same on another grid, as planes that rise as their rims do: what a coarse picture shows."""
        rises = np.einsum("ki,ni->nk", coarse.steps, self.tilts(grid)) * self.radii[:, None]
        tops = self.middles[:, None] + rises
        return Heads(tops, tops[:, : coarse.corners].copy(), self.radii, self.fits)

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


@dataclass(frozen=True, eq=False)
class Ends:
    """Both ends of all bars: the grid of their heads, `upper` at tips and `lower` at what stands on a part."""

    grid: HeadGrid
    upper: Heads
    lower: Heads
