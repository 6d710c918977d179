"""Faces of a mesh by cells in plan: which may lie near many small boxes, without looking at all faces each time."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from shapely import STRtree, linestrings

from lean_trellis.core.arrays import Floats, Longs, counted_out
from lean_trellis.core.mesh.mesh import Mesh

_MOST_CELLS = 256
_SMALL_SHARE = 0.999
"""So many of the faces are no wider than two cells; the others are looked at one by one."""
_SPAN = 2
_MOST_PAIRS, _FEW_PAIRS = 1_500_000, 300_000


@dataclass(frozen=True, eq=False)
class PlanGrid:
    """Small faces in the `order` of the cells of their low corners, `starts` (cells + 1,) of each; `large` ones apart.

    Cells of one x lie together, by y. A small face reaches over no more than two cells beyond its own.
    """

    mesh: Mesh
    origin: Floats
    cell: float
    shape: tuple[int, int]
    order: Longs
    starts: Longs
    large: Longs

    @classmethod
    def of(cls, mesh: Mesh) -> PlanGrid:
        """The grid of a mesh, kept with it."""
        kept = mesh.__dict__.get("_plan_grid")
        if isinstance(kept, cls):
            return kept
        low, high = mesh.bounds[:, :2]
        sizes = (mesh.face_highs - mesh.face_lows)[:, :2].max(axis=1)
        usual = float(np.quantile(sizes, _SMALL_SHARE)) if len(sizes) else 1.0
        cell = max(float((high - low).max()) / _MOST_CELLS, usual / _SPAN, 1e-6)
        shape = tuple(int(n) for n in np.floor((high - low) / cell).astype(int) + 1)
        small = np.flatnonzero(sizes <= _SPAN * cell + 1e-12)
        at = np.clip(((mesh.face_lows[small, :2] - low) / cell).astype(np.int64), 0, np.array(shape) - 1)
        number = at[:, 0] * shape[1] + at[:, 1]
        order = np.argsort(number, kind="stable")
        starts = np.concatenate([[0], np.cumsum(np.bincount(number, minlength=shape[0] * shape[1]))])
        large = np.flatnonzero(sizes > _SPAN * cell + 1e-12)
        grid = cls(mesh, low, cell, (shape[0], shape[1]), small[order], starts, large)
        mesh.__dict__["_plan_grid"] = grid  # as a cached property does; it does not travel with the mesh
        return grid

    def pairs(self, lows: Floats, highs: Floats) -> Iterator[tuple[Longs, Longs]]:
        """Pairs of a face and a box (k, 3), (k, 3) that meet, box by box, so many at a time."""
        first, last = self._cells(lows, highs)
        rows, within = counted_out(np.maximum(last[:, 0] - first[:, 0] + 1, 0))
        row = (first[rows, 0] + within) * self.shape[1]
        begins, ends = self.starts[row + first[rows, 1]], self.starts[row + last[rows, 1] + 1]
        sums = np.concatenate([[0], np.cumsum(np.maximum(ends - begins, 0))])
        at = 0
        while at < len(rows):
            stop = max(at + 1, int(np.searchsorted(sums, sums[at] + _MOST_PAIRS, side="right")) - 1)
            some = slice(at, stop)
            owner, step = counted_out(np.maximum(ends[some] - begins[some], 0))
            place, which = _meeting(self._sides, begins[some][owner] + step, rows[some][owner], lows, highs)
            yield self.order[place], which
            at = stop
        if len(self.large):
            place, which = self._near_large(lows, highs)
            place, which = _meeting(self._large_sides, place, which, lows, highs)
            yield self.large[place], which

    def _near_large(self, lows: Floats, highs: Floats) -> tuple[Longs, Longs]:
        """Places among the large faces and boxes that may meet, face by face: few are all looked at, many by a tree."""
        if len(self.large) * len(lows) <= _FEW_PAIRS:
            low, high = self._large_sides[2]
            may = (low[:, None] <= highs[:, 2]) & (high[:, None] >= lows[:, 2])
            place, which = np.nonzero(may)
            return place, which
        which, place = self._large_tree.query(plan_boxes(lows, highs))
        order = np.argsort(place, kind="stable")
        return place[order], which[order]

    @cached_property
    def _sides(self) -> _Sides:
        return _sides_of(self.mesh, self.order)

    @cached_property
    def _large_sides(self) -> _Sides:
        return _sides_of(self.mesh, self.large)

    @cached_property
    def _large_tree(self) -> STRtree:
        return STRtree(plan_boxes(self.mesh.face_lows[self.large], self.mesh.face_highs[self.large]))

    def _cells(self, lows: Floats, highs: Floats) -> tuple[Longs, Longs]:
        """(k, 2) each: the first and the last cell whose faces may meet each box; the last before it for none."""
        first = np.floor((lows[:, :2] - self.origin) / self.cell) - _SPAN
        last = np.floor((highs[:, :2] - self.origin) / self.cell)
        most = np.array(self.shape) - 1
        outside = ((last < 0) | (first > most)).any(axis=1)
        first, last = np.clip(first, 0, most).astype(np.int64), np.clip(last, 0, most).astype(np.int64)
        last[outside, 0] = first[outside, 0] - 1
        return first, last


_Sides = list[tuple[Floats, Floats]]
"""Lowest and highest coordinates (f,) of faces, axis by axis: each in a row of its own, as neighbours are asked for."""


def _sides_of(mesh: Mesh, faces: Longs) -> _Sides:
    lows, highs = mesh.face_lows[faces], mesh.face_highs[faces]
    return [(np.ascontiguousarray(lows[:, axis]), np.ascontiguousarray(highs[:, axis])) for axis in range(3)]


def _meeting(sides: _Sides, place: Longs, which: Longs, lows: Floats, highs: Floats) -> tuple[Longs, Longs]:
    """Pairs of a face's place and a box without those that do not meet, axis by axis."""
    for axis in (2, 0, 1):
        low, high = sides[axis]
        below, above = np.ascontiguousarray(lows[:, axis]), np.ascontiguousarray(highs[:, axis])
        meets = np.flatnonzero(low[place] <= above[which])
        place, which = place[meets], which[meets]
        meets = np.flatnonzero(high[place] >= below[which])
        place, which = place[meets], which[meets]
    return place, which


def plan_boxes(lows: Floats, highs: Floats) -> np.ndarray:
    """Lines from corner to corner of boxes (k, 2) or (k, 3) in plan: a tree looks at what is round them alone."""
    return np.asarray(linestrings(np.stack([lows[:, :2], highs[:, :2]], axis=1)))
