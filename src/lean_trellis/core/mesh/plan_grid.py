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
_MOST_PAIRS, _MOST_BOXES = 1_500_000, 500_000


@dataclass(frozen=True, eq=False)
class PlanGrid:
    """Faces by how wide and how deep they are in plan, each kind by `cells` (n, 2) of its own, a level of them.

    Flat walls with many openings are long slivers beside small faces: one size of cells would suit neither. Each level
    has `shapes` (n, 2) cells from its `first` (n,) number on, those of one x together, by y. Faces are in the `order`
    of the cells of their low corners, `starts` (all cells + 1,) of each.
    """

    mesh: Mesh
    origin: Floats
    cells: Floats
    shapes: Longs
    first: Longs
    order: Longs
    starts: Longs

    @classmethod
    def of(cls, mesh: Mesh) -> PlanGrid:
        """The grid of a mesh, kept with it."""
        kept = mesh.__dict__.get("_plan_grid")
        if not isinstance(kept, cls):
            kept = cls._made(mesh)
            mesh.__dict__["_plan_grid"] = kept  # as a cached property does; it does not travel with the mesh
        return kept

    @classmethod
    def _made(cls, mesh: Mesh) -> PlanGrid:
        low, high = mesh.bounds[:, :2]
        cells, level = _cells_of(mesh, high - low)
        shapes = np.floor((high - low) / cells).astype(np.int64) + 1
        counts = shapes.prod(axis=1)
        first = np.cumsum(counts) - counts
        at = np.clip(((mesh.face_lows[:, :2] - low) / cells[level]).astype(np.int64), 0, shapes[level] - 1)
        number = first[level] + at[:, 0] * shapes[level, 1] + at[:, 1]
        starts = np.concatenate([[0], np.cumsum(np.bincount(number, minlength=int(counts.sum())))])
        return cls(mesh, low, cells, shapes, first, np.argsort(number, kind="stable"), starts)

    def pairs(self, lows: Floats, highs: Floats) -> Iterator[tuple[Longs, Longs]]:
        """Pairs of a face and a box (k, 3), (k, 3) that meet, level by level, so many at a time."""
        at_once = _MOST_BOXES // len(self.cells)
        for begin in range(0, len(lows), at_once):
            some = slice(begin, begin + at_once)
            for face, box in self._pairs(lows[some], highs[some]):
                yield face, box + begin

    def _pairs(self, lows: Floats, highs: Floats) -> Iterator[tuple[Longs, Longs]]:
        """All levels at once: of few boxes each step takes as long as of many."""
        first, last = self._reached(lows, highs)
        rows, within = counted_out(np.maximum(last[:, 0] - first[:, 0] + 1, 0))
        level, box = np.divmod(rows, len(lows))
        row = self.first[level] + (first[rows, 0] + within) * self.shapes[level, 1]
        begins, ends = self.starts[row + first[rows, 1]], self.starts[row + last[rows, 1] + 1]
        full = np.flatnonzero(ends > begins)
        begins, box, counts = begins[full], box[full], (ends - begins)[full]
        sums = np.concatenate([[0], np.cumsum(counts)])
        at = 0
        while at < len(full):
            stop = max(at + 1, int(np.searchsorted(sums, sums[at] + _MOST_PAIRS, side="right")) - 1)
            some = slice(at, stop)
            owner, step = counted_out(counts[some])
            place, which = _meeting(self._sides, begins[some][owner] + step, box[some][owner], lows, highs)
            yield self.order[place], which
            at = stop

    def _reached(self, lows: Floats, highs: Floats) -> tuple[Longs, Longs]:
        """(levels · k, 2) each, by level: the first and the last cell whose faces may meet each box.

        Where none may the last is before the first.
        """
        cells, most = self.cells[:, None], self.shapes[:, None] - 1
        first = np.floor((lows[:, :2] - self.origin) / cells) - _SPAN
        last = np.floor((highs[:, :2] - self.origin) / cells)
        outside = ((last < 0) | (first > most)).any(axis=2)
        first, last = np.clip(first, 0, most).astype(np.int64), np.clip(last, 0, most).astype(np.int64)
        last[outside, 0] = first[outside, 0] - 1
        return first.reshape(-1, 2), last.reshape(-1, 2)

    @cached_property
    def _sides(self) -> _Sides:
        return _sides_of(self.mesh, self.order)


def _cells_of(mesh: Mesh, room: Floats) -> tuple[Floats, Longs]:
    """(n, 2) sizes of cells for a mesh in a room (2,), and which (m,) suit each face: it reaches over few of them."""
    if len(mesh.faces) <= _FEW:
        return np.maximum(room, 1e-6)[None], np.zeros(len(mesh.faces), np.int64)
    sizes = (mesh.face_highs - mesh.face_lows)[:, :2]
    small = np.quantile(np.maximum(*sizes.T), _SMALL_SHARE)
    least = max(float(room.max()) / _MOST_CELLS, float(small) / _SPAN, 1e-6)
    steps = np.ceil(np.log(np.maximum(sizes / (_SPAN * least * _FULL), 1.0)) / np.log(_COARSER)).astype(np.int64)
    count = int(steps.max()) + 1
    code = steps[:, 0] * count + steps[:, 1]
    there = np.bincount(code, minlength=count**2) > 0
    kinds = np.column_stack(np.divmod(np.flatnonzero(there), count))
    return least * _COARSER**kinds, (np.cumsum(there) - 1)[code]


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
