"""Where the heat of each layer lifts a part: along free rims, the more the thicker the solid above, most at corners."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Rows, counted_out
from lean_trellis.core.overhang.rim import FREE, Rim

_STEP_MM = 0.5
_INSIDE_MM = 0.05
_CORNER_DEG, _CORNER_MM = 45.0, 2.0
"""A rim that turns by more than this has a corner, which reaches so far along it: assumed."""
_UP = np.array([0.0, 0.0, 1.0])


@dataclass(frozen=True, eq=False)
class LiftPlaces(Rows):
    """Places (n, 3) along free rims, and the `lengths` (n,) of rim that each stands for, mm.

    Of each its region, the height at which the solid above it ends, and whether it is at a corner.
    """

    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    lengths: Floats = field(default_factory=lambda: np.zeros(0))
    regions: Ints = field(default_factory=lambda: np.zeros(0, np.int32))
    tops: Floats = field(default_factory=lambda: np.zeros(0))
    at_corner: Bools = field(default_factory=lambda: np.zeros(0, bool))

    def __len__(self) -> int:
        return len(self.lengths)


def lift_places(rim: Rim, first_hits: Callable[[Floats, Floats], tuple[Floats, Floats]]) -> LiftPlaces:
    """Places half a millimetre apart along the free edges of a rim; neither walls nor fading rims lift.

    `first_hits` casts rays at the part: origins and directions (n, 3) give distances (n,) and normals.
    """
    free = rim.of_kind(FREE)
    steps = free.stops - free.starts
    lengths = np.linalg.norm(steps, axis=1)
    counts = np.maximum(1, np.ceil(lengths / _STEP_MM).astype(np.int64))
    which, within = counted_out(counts)
    if not len(which):
        return LiftPlaces()
    share = ((within + 0.5) / counts[which])[:, None]
    places = free.starts[which] + share * steps[which]
    # The region lies on the right of its rim in plan: the solid above begins there.
    inward = np.column_stack([steps[:, 1], -steps[:, 0], np.zeros(len(steps))])
    inward /= np.maximum(np.linalg.norm(inward, axis=1), 1e-12)[:, None]
    begins = places + _INSIDE_MM * (inward[which] + _UP)
    distance, _ = first_hits(begins, np.broadcast_to(_UP, begins.shape))
    tops = np.where(np.isfinite(distance), begins[:, 2] + distance, places[:, 2])
    corners = _corners(free)
    near = np.zeros(len(places), bool)
    for at in (0, 1):
        end = np.where(at == 0, within + 0.5, counts[which] - within - 0.5) * (lengths / counts)[which]
        near |= corners[which, at] & (end <= _CORNER_MM)
    return LiftPlaces(places, (lengths / counts)[which], free.regions[which], tops, near)


def _corners(free: Rim) -> Bools:
    """(k, 2): whether each free edge begins, and ends, at a corner of the rim."""
    ways = (free.stops - free.starts)[:, :2]
    ways = ways / np.maximum(np.hypot(*ways.T), 1e-12)[:, None]
    follower = {int(begin): number for number, begin in enumerate(free.begins.tolist())}
    result = np.zeros((len(ways), 2), bool)
    for number, end in enumerate(free.ends.tolist()):
        after = follower.get(int(end))
        if after is not None and ways[number] @ ways[after] < np.cos(np.radians(_CORNER_DEG)):
            result[number, 1] = result[after, 0] = True
    return result
