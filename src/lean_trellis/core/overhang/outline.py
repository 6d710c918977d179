"""Outlines of regions: the edges of the rim chained into closed loops, holes kept.

A loop is kept in space; seen from below it may cross itself (a helix), yet the area that all loops of a region enclose,
counted with their turn, is the sum of the projected faces (Stokes' theorem), wherever they overlap.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bytes, Floats, Ints, Longs, frozen
from lean_trellis.core.mesh.directions import any_across
from lean_trellis.core.overhang.rim import FADING, FREE, WALL, Rim

RIM_WORDS = {FREE: "free", WALL: "wall", FADING: "fading"}


@dataclass(frozen=True, eq=False)
class Outlines:
    """All loops, one after the other.

    `places` (k, 3) are the starts of the edges in their order along each loop, `kinds` (k,) the edges' kinds;
    loop i is `loop_starts[i]` up to `loop_starts[i + 1]` and belongs to region `loop_regions[i]`; loops stand in
    the order of their regions. `enclosed_mm2` (l,) is the area each encloses across the layer normal: positive for
    an outer loop, negative for a hole.
    """

    places: Floats
    kinds: Bytes
    loop_starts: Longs
    loop_regions: Ints
    enclosed_mm2: Floats

    def of_region(self, region: int) -> list[tuple[Floats, Bytes]]:
        """(places, kinds) of each loop of a region, none for low edges and points."""
        first, last = np.searchsorted(self.loop_regions, [region, region + 1])
        return [
            (self.places[a:b], self.kinds[a:b])
            for a, b in zip(self.loop_starts[first:last], self.loop_starts[first + 1 : last + 1], strict=True)
        ]

    @cached_property
    def edge_regions(self) -> Ints:
        """(k,): the region of each edge."""
        return frozen(np.repeat(self.loop_regions, np.diff(self.loop_starts)))


def trace_outlines(rim: Rim, layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0)) -> Outlines:
    """Chain the rim of all regions. Where loops of one region touch at a vertex, they are parted there any way."""
    if not len(rim.regions):
        nothing = np.zeros(0)
        return Outlines(np.zeros((0, 3)), nothing.astype(np.uint8), np.zeros(1, np.int64), nothing.astype(np.int32),
                        nothing)  # fmt: skip
    order, starts = _loops(_following(rim))
    regions = rim.regions[order[starts]]
    by_region = np.argsort(regions, kind="stable")
    lengths = np.diff(np.append(starts, len(order)))
    new_starts = np.concatenate([[0], np.cumsum(lengths[by_region])])
    within = np.arange(len(order)) - np.repeat(new_starts[:-1], lengths[by_region])
    order = order[np.repeat(starts[by_region], lengths[by_region]) + within]
    return Outlines(
        frozen(rim.starts[order]),
        frozen(rim.kinds[order]),
        frozen(new_starts),
        frozen(regions[by_region].astype(np.int32)),
        frozen(_enclosed(rim.starts[order], rim.stops[order], new_starts, np.array(layer_normal))),
    )


def _following(rim: Rim) -> Longs:
    """(k,): the edge that goes on where each ends, in the same region: sorting both ends pairs them off.

    In a closed region as many edges begin at a vertex as end there. Where a mesh is open they need not: an edge then
    goes on at the next one that begins, which closes its loop across the gap.
    """
    most = int(max(rim.begins.max(), rim.ends.max())) + 1
    regions = rim.regions.astype(np.int64)
    begins = np.argsort(regions * most + rim.begins, kind="stable")
    ends = np.argsort(regions * most + rim.ends, kind="stable")
    following = np.empty(len(begins), np.int64)
    following[ends] = begins
    return following


def _loops(following: Longs) -> tuple[Longs, Longs]:
    """The cycles of a permutation: members one after the other, and where each cycle begins."""
    succ = following.tolist()
    seen = bytearray(len(succ))
    order: list[int] = []
    starts: list[int] = []
    for first in range(len(succ)):
        if seen[first]:
            continue
        starts.append(len(order))
        here = first
        while not seen[here]:
            seen[here] = 1
            order.append(here)
            here = succ[here]
    return np.array(order, np.int64), np.array(starts, np.int64)


def _enclosed(begins: Floats, stops: Floats, loop_starts: Longs, up: Floats) -> Floats:
    """Half the sum of cross products along the layer normal; the region lies on the right of its edges in plan."""
    across = any_across(up)
    frame = np.column_stack([across, np.cross(up, across)])
    middle = begins.mean(axis=0)
    a, b = (begins - middle) @ frame, (stops - middle) @ frame
    doubled = a[:, 0] * b[:, 1] - b[:, 0] * a[:, 1]
    result: Floats = -np.add.reduceat(doubled, loop_starts[:-1]) / 2
    return result


def rim_lengths(rim: Rim, count: int) -> Floats:
    """(count, 3): length of each region's rim by kind, mm."""
    lengths = np.linalg.norm(rim.stops - rim.starts, axis=1)
    by_kind = np.zeros((count, 3))
    np.add.at(by_kind, (rim.regions, rim.kinds), lengths)
    return by_kind
