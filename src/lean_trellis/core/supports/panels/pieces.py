"""Which slabs of panels come off together: those that hang together along walls and where walls meet."""

from __future__ import annotations

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats, Longs, counted_out
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.supports.panels.panels import Slabs
from lean_trellis.core.supports.panels.paths import Segments

_INSIDE_MM = 1e-4


def columns_at(crossings: Floats, stations: Floats, number: Longs) -> Longs:
    """(k, 2): the columns at the left of the slabs that hold both stations of each crossing."""
    place = np.searchsorted(stations, crossings.reshape(-1) + 1e-9, side="right") - 1
    return number[np.clip(place, 0, len(stations) - 1)].reshape(-1, 2)


def pieces_of(slabs: Slabs, crossings: Longs) -> Longs:
    """(k,): the piece of each slab: what hangs together along walls and where walls cross."""
    count = len(slabs)
    if not count:
        return np.zeros(0, np.int64)
    by_left = np.argsort(slabs.left, kind="stable")
    lefts = slabs.left[by_left]
    a, b = _followed(by_left, lefts, slabs.right)
    meets = np.minimum(slabs.high[a, 1], slabs.high[b, 0]) > np.maximum(slabs.low[a, 1], slabs.low[b, 0]) + 1e-7
    c, d = _crossed(by_left, lefts, crossings)
    overlaps = np.minimum(slabs.high[c].mean(axis=1), slabs.high[d].mean(axis=1)) > np.maximum(
        slabs.low[c].mean(axis=1), slabs.low[d].mean(axis=1)
    )
    one, other = np.concatenate([a[meets], c[overlaps]]), np.concatenate([b[meets], d[overlaps]])
    return components_of(count, one, other)


def _followed(by_left: Longs, lefts: Longs, rights: Longs) -> tuple[Longs, Longs]:
    """Each slab with those that begin on the column where it ends."""
    first, last = np.searchsorted(lefts, rights, "left"), np.searchsorted(lefts, rights, "right")
    counts = last - first
    owners, within = counted_out(counts)
    return owners, by_left[first[owners] + within]


def _crossed(by_left: Longs, lefts: Longs, crossings: Longs) -> tuple[Longs, Longs]:
    """Slabs of two walls where these cross: every one at the one column with every one at the other."""
    if not len(crossings):
        nothing = np.zeros(0, np.int64)
        return nothing, nothing
    first, last = np.searchsorted(lefts, crossings, "left"), np.searchsorted(lefts, crossings, "right")
    sizes = last - first
    counts = sizes[:, 0] * sizes[:, 1]
    owners, within = counted_out(counts)
    across = np.maximum(sizes[owners, 1], 1)
    return by_left[first[owners, 0] + within // across], by_left[first[owners, 1] + within % across]


def where_walls_meet(segments: Segments, reach: float) -> Floats:
    """(k, 2): stations of every two walls where they cross or come within `reach` of each other, mm."""
    walls, a = segments.walls, segments.a
    lines = shapely.linestrings(np.stack([a, segments.b], axis=1))
    tree = shapely.STRtree(lines)
    one, other = tree.query(lines, predicate="dwithin", distance=max(reach, 1e-6))
    kept = walls[one] < walls[other]
    one, other = one[kept], other[kept]
    ends = shapely.get_coordinates(shapely.shortest_line(lines[one], lines[other])).reshape(-1, 2, 2)
    # Where a wall ends at another, it is its last stretch that meets it: a little inside of its end.
    last = segments.offsets + segments.wholes - _INSIDE_MM
    crossings = [
        np.minimum(segments.begins[which] + np.hypot(*(ends[:, side] - a[which]).T), last[walls[which]])
        for side, which in ((0, one), (1, other))
    ]
    return np.stack(crossings, axis=1)
