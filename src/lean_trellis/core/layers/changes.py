"""Changes of material from layer to layer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools


@dataclass(frozen=True, eq=False)
class Changes:
    """Which of two materials each layer begins with, and where it changes.

    `begins_other` (l,): whether the other material comes first; `at_start` (l,) whether it changes before the layer,
    `within` (l,) whether it changes in it.
    """

    begins_other: Bools
    at_start: Bools
    within: Bools

    @property
    def count(self) -> int:
        """How many changes there are."""
        return int(self.at_start.sum() + self.within.sum())


def changes_of(has_base: Bools, has_other: Bools) -> Changes:
    """From which layer (l,) holds the base material and which the other one.

    Within a layer with both one change is made, and the next goes on with the material that is there.
    """
    count = len(has_base)
    begins, at_start = np.zeros(count, bool), np.zeros(count, bool)
    within = has_base & has_other
    now = False
    for number in np.flatnonzero(has_base | has_other):
        if within[number]:
            begins[number], now = now, not now
            continue
        begins[number] = has_other[number]
        at_start[number] = begins[number] != now
        now = bool(begins[number])
    return Changes(begins, at_start, within)
