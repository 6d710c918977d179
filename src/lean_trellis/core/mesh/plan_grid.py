"""Faces of a mesh by cells in plan: which may lie near many small boxes, without looking at all faces each time."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from shapely import linestrings

from lean_trellis.core.arrays import Floats, Longs, counted_out
from lean_trellis.core.mesh.mesh import Mesh

_MOST_CELLS = 256
_FEW = 64
"""So few faces are all looked at for each box."""
_SMALL_SHARE = 0.25
"""So many of the faces are no wider and no deeper than two of the smallest cells."""
_SPAN = 2
"""A face reaches over no more cells than so many beyond its own."""
_COARSER = 8.0
"""Cells of one level are so many times as wide as those of the level before, or as deep."""
_FULL = 1 - 1e-9
"""A face fills its cells no more than so far: where rounding moves it a little, none is missed."""
_MOST_PAIRS = 1_500_000


@dataclass(frozen=True, eq=False)
class PlanGrid:
    """Faces by how wide and how deep they are in plan, each kind by cells of its own.

    Flat walls with many openings are long slivers beside small faces: one size of cells would suit neither.
    """

    levels: tuple[_Level, ...]

    @classmethod
    def of(cls, mesh: Mesh) -> PlanGrid:
        """The grid of a mesh, kept with it."""
        kept = mesh.__dict__.get("_plan_grid")
        if isinstance(kept, cls):
            return kept
        low, high = mesh.bounds[:, :2]
        if len(mesh.faces) <= _FEW:
            whole = _Level.of(mesh, np.arange(len(mesh.faces)), low, high, np.maximum(high - low, 1e-6))
            return cls((whole,))._kept(mesh)
        sizes = (mesh.face_highs - mesh.face_lows)[:, :2]
        small = np.quantile(sizes.max(axis=1), _SMALL_SHARE)
        least = max(float((high - low).max()) / _MOST_CELLS, float(small) / _SPAN, 1e-6)
        steps = np.ceil(np.log(np.maximum(sizes / (_SPAN * least * _FULL), 1.0)) / np.log(_COARSER)).astype(np.int64)
        levels = [
            _Level.of(mesh, np.flatnonzero((steps == step).all(axis=1)), low, high, least * _COARSER**step)
            for step in np.unique(steps, axis=0)
        ]
        return cls(tuple(levels))._kept(mesh)

    def _kept(self, mesh: Mesh) -> PlanGrid:
        mesh.__dict__["_plan_grid"] = self  # as a cached property does; it does not travel with the mesh
        return self

    def pairs(self, lows: Floats, highs: Floats) -> Iterator[tuple[Longs, Longs]]:
        """Pairs of a face and a box (k, 3), (k, 3) that meet, level by level, so many at a time."""
        for level in self.levels:
            yield from level.pairs(lows, highs)


@dataclass(frozen=True, eq=False)
class _Level:
    """Faces in the `order` of the cells of their low corners, `starts` (cells + 1,) of each.

    Cells (2,) of one x lie together, by y.
    """

    mesh: Mesh
    origin: Floats
    cell: Floats
    shape: Longs
    order: Longs
    starts: Longs

    @classmethod
    def of(cls, mesh: Mesh, faces: Longs, low: Floats, high: Floats, cell: Floats) -> _Level:
        """A level of some faces, none of which is wider or deeper than two cells."""
        shape = np.floor((high - low) / cell).astype(np.int64) + 1
        at = np.clip(((mesh.face_lows[faces, :2] - low) / cell).astype(np.int64), 0, shape - 1)
        number = at[:, 0] * shape[1] + at[:, 1]
        order = np.argsort(number, kind="stable")
        starts = np.concatenate([[0], np.cumsum(np.bincount(number, minlength=int(shape.prod())))])
        return cls(mesh, low, cell, shape, faces[order], starts)

    def pairs(self, lows: Floats, highs: Floats) -> Iterator[tuple[Longs, Longs]]:
        """Pairs of a face and a box that meet, box by box, so many at a time."""
        first, last = self._cells(lows, highs)
        rows, within = counted_out(np.maximum(last[:, 0] - first[:, 0] + 1, 0))
        row = (first[rows, 0] + within) * self.shape[1]
        begins, ends = self.starts[row + first[rows, 1]], self.starts[row + last[rows, 1] + 1]
        counts = np.maximum(ends - begins, 0)
        sums = np.concatenate([[0], np.cumsum(counts)])
        at = 0
        while at < len(rows):
            stop = max(at + 1, int(np.searchsorted(sums, sums[at] + _MOST_PAIRS, side="right")) - 1)
            if sums[stop] > sums[at]:
                some = slice(at, stop)
                owner, step = counted_out(counts[some])
                place, which = _meeting(self._sides, begins[some][owner] + step, rows[some][owner], lows, highs)
                yield self.order[place], which
            at = stop

    @cached_property
    def _sides(self) -> _Sides:
        return _sides_of(self.mesh, self.order)

    def _cells(self, lows: Floats, highs: Floats) -> tuple[Longs, Longs]:
        """(k, 2) each: the first and the last cell whose faces may meet each box; the last before it for none."""
        first = np.floor((lows[:, :2] - self.origin) / self.cell) - _SPAN
        last = np.floor((highs[:, :2] - self.origin) / self.cell)
        most = self.shape - 1
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
