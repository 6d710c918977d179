"""What contacts carry: the most of all, and at each level while the part above them grows."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, Rows, frozen

_ALIKE = 1e-9


def lowest_most(used: Floats) -> Longs:
    """(n,): the first of the rows of `used` (k, n) in which there is as much as in any, but for rounding."""
    result: Longs = (used >= used.max(axis=0) * (1 - _ALIKE)).argmax(axis=0)
    return result


@dataclass(frozen=True, eq=False)
class GripLoads(Rows):
    """Of each contact (n,): the most it is pulled, pushed and sheared with, N.

    `used` is how much of the strength of its area that takes at most, `levels` where it does, mm.
    """

    pulls: Floats
    pushes: Floats
    sides: Floats
    used: Floats
    levels: Floats

    def __len__(self) -> int:
        return len(self.used)


@dataclass(frozen=True, eq=False)
class LevelLoads:
    """The same at `levels` (k,), mm, from the lowest up: what contacts (n,) carry with the part built so high.

    `pulls`, `pushes`, `sides` and `used` are (k, n); a contact that is not reached yet carries nothing.
    """

    levels: Floats
    pulls: Floats
    pushes: Floats
    sides: Floats
    used: Floats

    @staticmethod
    def none(levels: Floats, count: int) -> LevelLoads:
        """Nothing is carried yet."""
        return LevelLoads(levels, *(np.zeros((len(levels), count)) for _ in range(4)))

    def __len__(self) -> int:
        return len(self.levels)

    def places_of(self, levels: Floats) -> Longs:
        """(l,): the first row at or above each of levels (l,); the last one above all of them."""
        return np.minimum(np.searchsorted(self.levels, levels - 1e-9), len(self.levels) - 1)

    def take(self, rows: Longs, grips: Longs, pulls: Floats, pushes: Floats, sides: Floats, used: Floats) -> None:
        """Keep what is more than so far, of contacts `grips` (m,) at `rows` (m,). Only while it is being made."""
        at = (rows, grips)
        for kept, more in ((self.pulls, pulls), (self.pushes, pushes), (self.sides, sides), (self.used, used)):
            np.maximum.at(kept, at, more)

    def only(self, which: Longs) -> LevelLoads:
        """Some of the contacts."""
        return LevelLoads(
            self.levels, *(frozen(rows[:, which]) for rows in (self.pulls, self.pushes, self.sides, self.used))
        )

    def at(self, row: int) -> GripLoads:
        """What they carry at one level."""
        return GripLoads(
            self.pulls[row], self.pushes[row], self.sides[row], self.used[row],
            np.full(self.used.shape[1], self.levels[row]),
        )  # fmt: skip

    def most(self) -> GripLoads:
        """The most of all levels, and the lowest at which each is used most."""
        if not len(self.levels):
            none = np.zeros(self.used.shape[1])
            return GripLoads(none, none, none, none, none)
        return GripLoads(
            self.pulls.max(axis=0), self.pushes.max(axis=0), self.sides.max(axis=0), self.used.max(axis=0),
            self.levels[lowest_most(self.used)],
        )  # fmt: skip
