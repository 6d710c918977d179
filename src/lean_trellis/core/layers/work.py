"""What it takes to build a body, layer by layer: seconds, lengths, what is filled, where work begins and ends."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, Rows
from lean_trellis.core.layers.motion import Motion
from lean_trellis.core.layers.paths import Kind, Paths


@dataclass(frozen=True, eq=False)
class Work(Rows):
    """The work on a body in its layers of numbers (l,), rising; layers without any path are left out.

    `seconds` (l,) with the ways between its own paths; `lengths` (l, k) mm by kind; `beads_mm2` (l,) lengths times
    widths; `firsts` and `lasts` (l, 2) where the first path begins and the last one ends.
    """

    numbers: Longs
    seconds: Floats
    lengths: Floats
    beads_mm2: Floats
    firsts: Floats
    lasts: Floats

    @property
    def layers(self) -> int:
        """How many layers there are."""
        return len(self.numbers)


def work_of(paths: Paths, numbers: Longs, motion: Motion) -> Work:
    """The work that paths are; `numbers` (l,) are those of all layers of the body."""
    levels, place = np.unique(paths.levels, return_inverse=True)
    count = len(levels)
    seconds = np.bincount(place, motion.seconds(paths), count)
    if len(paths) > 1:
        gaps = paths.firsts[1:] - paths.lasts[:-1]
        same = place[1:] == place[:-1]
        travel = motion.travels(np.hypot(gaps[same, 0], gaps[same, 1]))
        seconds = seconds + np.bincount(place[1:][same], travel, count)
    kinds = len(Kind)
    lengths = np.bincount(place * kinds + paths.kinds, paths.lengths, count * kinds).reshape(count, kinds)
    first = np.searchsorted(place, np.arange(count))
    last = np.searchsorted(place, np.arange(count), side="right") - 1
    return Work(
        numbers[levels], seconds.astype(np.float64), lengths.astype(np.float64),
        np.bincount(place, paths.lengths * paths.widths, count).astype(np.float64),
        paths.firsts[first], paths.lasts[last],
    )  # fmt: skip
