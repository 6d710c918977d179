"""Ways of points in a row, layer by layer: what outlines, lines and paths are made of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Self

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, counted_out
from lean_trellis.core.mesh.slices import ring_areas


@dataclass(frozen=True, eq=False)
class LayerWays:
    """Points (n, 2) of ways in a row, mm; `starts` (w + 1,) tells where each begins, `levels` (w,) its layer."""

    points: Floats
    starts: Longs
    levels: Longs

    def __len__(self) -> int:
        return len(self.levels)

    @classmethod
    def of_rings(cls, ways: list[Floats], levels: Longs) -> LayerWays:
        """From one array (k, 2) a way."""
        points = np.concatenate([np.zeros((0, 2)), *ways])
        starts = np.concatenate([[0], np.cumsum([len(way) for way in ways], dtype=np.int64)]).astype(np.int64)
        return cls(points, starts, np.asarray(levels, np.int64))

    @classmethod
    def joined(cls, pieces: list[LayerWays]) -> LayerWays:
        """All of them, layer by layer; within a layer in the order of the pieces. At least one piece."""
        shifts = np.cumsum([0, *(len(piece.points) for piece in pieces[:-1])])
        starts = [piece.starts[1:] + shift for piece, shift in zip(pieces, shifts, strict=True)]
        whole = cls(
            np.concatenate([piece.points for piece in pieces]),
            np.concatenate([[0], *starts]).astype(np.int64),
            np.concatenate([piece.levels for piece in pieces]),
        )
        return whole.only(np.argsort(whole.levels, kind="stable"))

    def only(self, which: Longs) -> Self:
        """Some of the ways, by their numbers, in that order."""
        sizes = np.diff(self.starts)[which]
        owner, number = counted_out(sizes)
        starts = np.concatenate([[0], np.cumsum(sizes)])
        return type(self)(self.points[self.starts[:-1][which][owner] + number], starts, self.levels[which])

    def between(self, first: int, last: int) -> Self:
        """Those of layers from `first` to before `last`; `levels` rise."""
        low, high = np.searchsorted(self.levels, [first, last])
        begin, end = self.starts[low], self.starts[high]
        return type(self)(self.points[begin:end], self.starts[low : high + 1] - begin, self.levels[low:high])

    def way(self, number: int) -> Floats:
        """(k, 2): the points of one way."""
        return self.points[self.starts[number] : self.starts[number + 1]]

    def of_level(self, level: int) -> list[Floats]:
        """The ways (k, 2) of one layer; `levels` rise."""
        first, last = np.searchsorted(self.levels, [level, level + 1])
        return [self.way(number) for number in range(first, last)]

    @property
    def owners(self) -> Longs:
        """(n,): the way that each point is of."""
        return np.repeat(np.arange(len(self)), np.diff(self.starts))

    @property
    def areas_mm2(self) -> Floats:
        """(w,): within each way, closed; negative where it runs clockwise. The shoelace formula."""
        return ring_areas(self.points, self.starts)
