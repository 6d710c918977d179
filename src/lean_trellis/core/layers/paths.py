"""What a machine follows in many layers: ways in the order in which they are built."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import IntEnum
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, counted_out
from lean_trellis.core.layers.scanning import Lines
from lean_trellis.core.layers.ways import LayerWays


class Kind(IntEnum):
    """What a path is for."""

    OUTLINE = 0
    LOOP = 1
    FILL = 2
    LINE = 3
    BRIM = 4
    PURGE = 5


KIND_WORDS = ("outline", "inner loop", "fill", "single line", "brim", "purge")


@dataclass(frozen=True, eq=False)
class Paths:
    """`ways` in the order in which they are built, layer by layer; a closed one ends where it began.

    `kinds` (p,) is what each is for, `widths` (p,) mm how wide it is built.
    """

    ways: LayerWays
    kinds: Longs
    widths: Floats

    def __len__(self) -> int:
        return len(self.kinds)

    @classmethod
    def of_ways(cls, ways: LayerWays, kind: Kind, width: float) -> Paths:
        """Ways as they are."""
        return cls(ways, np.full(len(ways), int(kind), np.int64), np.full(len(ways), width))

    @classmethod
    def of_lines(cls, lines: Lines, kind: Kind, width: float) -> Paths:
        """Straight lines, each a path."""
        points = np.stack([lines.begins, lines.ends], axis=1).reshape(-1, 2)
        return cls.of_ways(LayerWays(points, 2 * np.arange(len(lines.levels) + 1), lines.levels), kind, width)

    @classmethod
    def of_rings(cls, rings: LayerWays, kind: Kind, width: float) -> Paths:
        """Outlines, each gone round once."""
        sizes = np.diff(rings.starts)
        owner, number = counted_out(sizes + 1)
        points = rings.points[rings.starts[:-1][owner] + number % np.maximum(sizes, 1)[owner]]
        return cls.of_ways(LayerWays(points, np.concatenate([[0], np.cumsum(sizes + 1)]), rings.levels), kind, width)

    @classmethod
    def joined(cls, pieces: Sequence[Paths]) -> Paths:
        """All of them, layer by layer; within a layer in the order of the pieces."""
        pieces = [cls.of_ways(LayerWays.of_rings([], np.zeros(0, np.int64)), Kind.FILL, 0.0), *pieces]
        order = np.argsort(np.concatenate([piece.levels for piece in pieces]), kind="stable")
        kinds = np.concatenate([piece.kinds for piece in pieces])
        widths = np.concatenate([piece.widths for piece in pieces])
        return cls(LayerWays.joined([piece.ways for piece in pieces]), kinds[order], widths[order])

    def only(self, which: Longs) -> Paths:
        """Some of the paths, by their numbers, in that order."""
        return Paths(self.ways.only(which), self.kinds[which], self.widths[which])

    def of_level(self, level: int) -> Paths:
        """The paths of one layer."""
        first, last = np.searchsorted(self.levels, [level, level + 1])
        return self.only(np.arange(first, last))

    @property
    def levels(self) -> Longs:
        """(p,): the place of the layer of each among those of its body, rising."""
        return self.ways.levels

    @property
    def firsts(self) -> Floats:
        """(p, 2): where each begins."""
        return self.ways.points[self.ways.starts[:-1]]

    @property
    def lasts(self) -> Floats:
        """(p, 2): where each ends."""
        return self.ways.points[self.ways.starts[1:] - 1]

    @cached_property
    def is_step(self) -> Bools:
        """(n - 1,): whether a point and the next are of one path."""
        inside = np.ones(max(len(self.ways.points) - 1, 0), bool)
        inside[self.ways.starts[1:-1] - 1] = False
        return inside

    @cached_property
    def steps(self) -> Floats:
        """(n - 1,): from each point to the next of its path, mm; 0 between paths."""
        ways = np.diff(self.ways.points, axis=0)
        return np.where(self.is_step, np.hypot(ways[:, 0], ways[:, 1]), 0.0)

    @cached_property
    def lengths(self) -> Floats:
        """(p,): mm."""
        owners = self.ways.owners[: len(self.steps)]
        return np.bincount(owners, self.steps, len(self)).astype(np.float64)
