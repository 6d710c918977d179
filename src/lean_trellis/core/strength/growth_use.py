"""How much of its strength everything that holds a part uses, level by level, while the part grows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, frozen
from lean_trellis.core.strength.grip_loads import lowest_most

_SLACK_MM = 1e-6
_ALONE_MM = 0.25
"""How far a part of one level reaches above and below it."""


@dataclass(frozen=True, eq=False)
class HoldUse:
    """The holds of one support: `places` (n, 3) where they touch, `used` (k, n) of their strength at each level."""

    places: Floats
    used: Floats


@dataclass(frozen=True, eq=False)
class GrowthUse:
    """A part at `levels` (k,), mm along the layers' normal, `step` apart: what holds it by then, how far used.

    `supports` are by id. `plate` (k,) is how much of the bond to the plate is used.
    """

    levels: Floats
    step: float
    supports: Mapping[str, HoldUse]
    plate: Floats

    def most(self) -> Floats:
        """(k,): the most that anything is used at each level."""
        each = [one.used.max(axis=1) for one in self.supports.values() if one.used.shape[1]]
        return np.max([np.zeros(len(self.levels)), self.plate, *each], axis=0)

    def rows_at(self, heights: Floats) -> Longs:
        """(h,): the level that stands for each height (h,) mm; -1 below the part and above its top."""
        if not len(self.levels):
            return np.full(len(heights), -1)
        between = (self.levels[1:] + self.levels[:-1]) / 2
        off = np.maximum(self.levels[0] - heights, heights - self.levels[-1])
        return np.where(off <= self.step / 2 + _SLACK_MM, np.searchsorted(between, heights), -1)

    def at_heights(self, heights: Floats) -> Floats:
        """(h,): the most that anything is used at heights (h,) mm; nothing acts below the part or above its top."""
        rows = self.rows_at(heights)
        return np.where(rows < 0, 0.0, np.append(self.most(), 0.0)[rows])


def growth_use(levels: Floats, supports: Mapping[str, HoldUse], plate_by_level: Floats) -> GrowthUse:
    """Put together what is known by level: `plate_by_level` (p, 2) has a level and a use in each row."""
    step = float(np.diff(levels).min()) if len(levels) > 1 else _ALONE_MM
    plate = np.zeros(len(levels))
    if len(levels):
        rows = np.minimum(np.searchsorted(levels, plate_by_level[:, 0] - 1e-9), len(levels) - 1)
        np.maximum.at(plate, rows, plate_by_level[:, 1])
    return GrowthUse(levels, step, supports, frozen(plate))


@dataclass(frozen=True, eq=False)
class Danger:
    """Of layers (l,) the most that anything in the build uses of its strength, and the part that it is of; -1: none."""

    used: Floats
    parts: Longs
    ids: tuple[str, ...]

    @property
    def worst(self) -> int | None:
        """The lowest place at which most is used; None where nothing is."""
        return int(lowest_most(self.used)) if len(self.used) and self.used.max() > 0 else None


def danger_of(tops: Floats, grown: Sequence[GrowthUse], ids: tuple[str, ...]) -> Danger:
    """Layers with their upper sides at `tops` (l,), mm, and the parts of a build as they grow, by their ids."""
    each = np.stack([np.zeros(len(tops)), *(one.at_heights(tops) for one in grown)])
    return Danger(frozen(each.max(axis=0)), frozen(each.argmax(axis=0) - 1), ids)
