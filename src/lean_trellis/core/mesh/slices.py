"""What many level planes meet of a mesh, at once: closed rings, open lines, the gaps that were closed.

Each face is cut by all planes that pass through it in one pass over arrays. A cut of a mesh edge by a plane is one
node, keyed by edge and plane, so that ways chain without comparing places. Where a surface is open, ways end; ends no
farther apart than a tolerance are joined and reported.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs, counted_out, frozen
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.progress import UNWATCHED, Watch

_NODES_AT_ONCE = 4_000_000
_FAR = 1e6
"""How far apart levels are set for the search for near ends: none is ever near one of another level."""


@dataclass(frozen=True, eq=False)
class Slices:
    """The ways that level planes meet, level by level, lowest first.

    `heights` (l,) rise. `points` (n, 2) are those of all ways in a row, `starts` (w + 1,) tells where each way begins,
    `levels` (w,) the number of its plane, `is_open` (w,) whether it ends elsewhere than it began. Rings have the solid
    on their left. `gaps` (g, 4) are what was closed: x, y, height and width.
    """

    heights: Floats
    points: Floats
    starts: Longs
    levels: Longs
    is_open: Bools
    gaps: Floats

    @cached_property
    def first_ways(self) -> Longs:
        """(l + 1,): the first way of each level."""
        return frozen(np.searchsorted(self.levels, np.arange(len(self.heights) + 1)))

    def between(self, first: int, last: int) -> Slices:
        """The levels from `first` to before `last` alone."""
        low, high = self.first_ways[first], self.first_ways[last]
        begin, end = self.starts[low], self.starts[high]
        heights = self.heights[first:last]
        return Slices(
            heights, self.points[begin:end], self.starts[low : high + 1] - begin, self.levels[low:high] - first,
            self.is_open[low:high], self.gaps[np.isin(self.gaps[:, 2], heights)],
        )  # fmt: skip

    def rings(self, level: int) -> list[Floats]:
        """The closed ways (k, 2) of a level: outer ones anticlockwise, holes clockwise."""
        return [way for number, way in self._ways(level) if not self.is_open[number]]

    def lines(self, level: int) -> list[Floats]:
        """The open ways (k, 2) of a level."""
        return [way for number, way in self._ways(level) if self.is_open[number]]

    def segments(self, level: int) -> Floats:
        """(k, 2, 2): all that a level meets, as straight pieces between two points."""
        pieces = [np.zeros((0, 2, 2))]
        for number, way in self._ways(level):
            pieces.append(np.stack([way, np.roll(way, -1, axis=0)], axis=1)[: len(way) - int(self.is_open[number])])
        return np.concatenate(pieces)

    def _ways(self, level: int) -> Iterator[tuple[int, Floats]]:
        for number in range(self.first_ways[level], self.first_ways[level + 1]):
            yield number, self.points[self.starts[number] : self.starts[number + 1]]

    @cached_property
    def ring_areas(self) -> Floats:
        """(w,): area within each closed way, negative for holes; 0 for open ways. The shoelace formula."""
        areas = ring_areas(self.points, self.starts)
        return frozen(np.where(self.is_open, 0.0, areas))

    @cached_property
    def areas(self) -> Floats:
        """(l,): area within the rings of each level; what lies in one another counts as often as it is there."""
        return frozen(np.bincount(self.levels, self.ring_areas, len(self.heights)).astype(np.float64))


def ring_areas(points: Floats, starts: Longs) -> Floats:
    """(w,): area within each of the ways of points (n, 2) that begin at `starts` (w + 1,). The shoelace formula."""
    sizes = np.diff(starts)
    owners = np.repeat(np.arange(len(sizes)), sizes)
    # Each way about its own first point: what is far from the origin loses no digits.
    local = points - points[starts[:-1]][owners] if len(owners) else points
    after = np.arange(len(points)) + 1
    after[starts[1:] - 1] = starts[:-1]
    turns = local[:, 0] * local[after, 1] - local[after, 0] * local[:, 1]
    return np.asarray(np.bincount(owners, turns, len(sizes)) / 2, np.float64)


@heavy
def sliced(
    topology: Topology,
    heights: Floats,
    *,
    vertices: Floats | None = None,
    close_mm: float = 0.0,
    watch: Watch = UNWATCHED,
) -> Slices:
    """The cuts of a welded mesh by the planes z = `heights` (l,), which rise.

    `vertices` (n, 3) are its corners as they stand, if not those of the mesh. A vertex on a plane counts as above it,
    so that every closed surface gives closed rings. Ends of open ways no farther apart than `close_mm` are joined.
    """
    heights = np.asarray(heights, np.float64)
    vertices = topology.mesh.vertices if vertices is None else vertices
    above = np.searchsorted(heights, vertices[:, 2], side="right")
    lows, highs = _least_and_most(above, topology.mesh.faces)
    pieces = []
    bounds = _shares(lows, highs - lows, len(heights))
    for number, (first, last) in enumerate(pairwise(bounds)):
        watch.at(number / max(1, len(bounds) - 1), f"cutting layers {first + 1} to {last}")
        pieces.append(_between(topology, vertices, heights, above, first, last, close_mm))
    return _joined(heights, pieces)


def _least_and_most(values: Longs, faces: Ints) -> tuple[Longs, Longs]:
    """(m,) each: over the three corners of each face. Column by column: along rows it takes ten times as long."""
    one, two, three = (values[faces[:, corner]] for corner in range(3))
    return np.minimum(np.minimum(one, two), three), np.maximum(np.maximum(one, two), three)


def _shares(lows: Longs, spans: Longs, count: int) -> list[int]:
    """Levels from where to where are cut at a time, so that memory stays bounded."""
    total = int(spans.sum())
    if total <= _NODES_AT_ONCE:
        return [0, count]
    change = np.bincount(lows, minlength=count + 1) - np.bincount(lows + spans, minlength=count + 1)
    reached = np.cumsum(np.cumsum(change[:count]))
    parts = int(np.ceil(total / _NODES_AT_ONCE))
    inner = np.searchsorted(reached, total * np.arange(1, parts) / parts)
    return [0, *np.unique(inner[(inner > 0) & (inner < count)]).tolist(), count]


def _between(
    topology: Topology, vertices: Floats, heights: Floats, above: Longs, first: int, last: int, close_mm: float
) -> Slices:
    """The cuts by the planes from number `first` to before `last`; `above` (n,) tells of how many a vertex is above."""
    ranks = np.clip(above, first, last)
    lows, highs = _least_and_most(ranks, topology.mesh.faces)
    crossing = np.flatnonzero((lows != highs) & (topology.edge_of_corner[::3] >= 0))
    of_face = ranks[topology.mesh.faces[crossing]]
    order = np.argsort(of_face, axis=1, kind="stable")
    sorted_ranks = np.take_along_axis(of_face, order, axis=1)
    edges = _edges_of(topology, crossing, order)
    ends = topology.edge_vertices
    low_rank = np.minimum(ranks[ends[:, 0]], ranks[ends[:, 1]])
    cuts_of_edge = np.abs(ranks[ends[:, 0]] - ranks[ends[:, 1]])
    first_node = np.cumsum(cuts_of_edge) - cuts_of_edge
    node_level = np.arange(cuts_of_edge.sum()) + np.repeat(low_rank - first_node, cuts_of_edge)
    cut = np.flatnonzero(cuts_of_edge)
    places = _cut_places(vertices[ends[cut]], cuts_of_edge[cut], heights[node_level])
    # All planes cut a face's long edge, those below its middle corner the lower short one, the others the upper.
    owner, number = counted_out(sorted_ranks[:, 2] - sorted_ranks[:, 0])
    level = sorted_ranks[owner, 0] + number
    short = np.where(level < sorted_ranks[owner, 1], edges[owner, 0], edges[owner, 1])
    long = edges[owner, 2]
    here = first_node[long] + level - low_rank[long]
    there = first_node[short] + level - low_rank[short]
    is_even = ((order[:, 1] - order[:, 0]) % 3 == 1)[owner]
    begins, stops = np.where(is_even, here, there), np.where(is_even, there, here)
    return _chained(heights, places, node_level, begins, stops, close_mm)


def _edges_of(topology: Topology, faces: Longs, order: Longs) -> Longs:
    """(k, 3): of each face the edge from its lowest corner to the middle one, from there to the top, the long one."""
    edges = topology.edge_of_corner.reshape(-1, 3)[faces]

    def between(one: Longs, other: Longs) -> Longs:
        corner = np.where((one + 1) % 3 == other, one, other)
        return np.take_along_axis(edges, corner[:, None], axis=1)[:, 0]

    low, middle, top = order.T
    return np.column_stack([between(low, middle), between(middle, top), between(low, top)])


def _cut_places(edges: Floats, counts: Longs, heights: Floats) -> Floats:
    """(n, 2): where edges (e, 2, 3) are at `heights` (n,), of which each edge has `counts` (e,)."""
    step = edges[:, 1] - edges[:, 0]
    risen = heights - np.repeat(edges[:, 0, 2], counts)
    share = np.clip(risen / np.repeat(step[:, 2], counts), 0.0, 1.0)
    places = np.empty((len(heights), 2))
    for axis in range(2):
        places[:, axis] = np.repeat(edges[:, 0, axis], counts) + share * np.repeat(step[:, axis], counts)
    return places


def _chained(heights: Floats, places: Floats, levels: Longs, begins: Longs, stops: Longs, close_mm: float) -> Slices:
    """Ways along directed segments between nodes at `places` (n, 2), each on the plane of `levels` (n,)."""
    onward = _onward(begins, stops, len(places))
    gaps = np.zeros((0, 4))
    if close_mm > 0:
        begins, stops, onward, gaps = _closed(begins, stops, onward, heights, places, levels, close_mm)
    label, number, is_open = _in_order(onward)
    segments = np.bincount(label, minlength=len(is_open))
    level_of_way = np.zeros(len(is_open), np.int64)
    level_of_way[label] = levels[begins]
    rank = np.argsort(level_of_way, kind="stable")  # ways of a level stand together
    starts = np.concatenate([[0], np.cumsum((segments + is_open)[rank])])  # an open way has a place more than segments
    first = np.empty(len(is_open), np.int64)
    first[rank] = starts[:-1]
    points = np.empty((starts[-1], 2))
    points[first[label] + number] = places[begins]
    tails = np.flatnonzero(onward < 0)
    points[first[label[tails]] + number[tails] + 1] = places[stops[tails]]
    return Slices(heights, points, starts, level_of_way[rank], is_open[rank], gaps)


def _onward(begins: Longs, stops: Longs, count: int) -> Longs:
    """(s,): the segment that goes on where each one stops; -1 where none does. Each is gone on to once."""
    if len(begins) == len(stops) == count and (np.bincount(begins, minlength=count) == 1).all():
        leaving = np.empty(count, np.int64)
        leaving[begins] = np.arange(count)
        if (np.bincount(stops, minlength=count) == 1).all():
            return leaving[stops]
    onward = np.full(len(begins), -1, np.int64)
    leaving, arriving = np.argsort(begins, kind="stable"), np.argsort(stops, kind="stable")
    out_counts, in_counts = np.bincount(begins, minlength=count), np.bincount(stops, minlength=count)
    pairs = np.minimum(out_counts, in_counts)
    owners, number = counted_out(pairs)
    onward[arriving[(np.cumsum(in_counts) - in_counts)[owners] + number]] = leaving[
        (np.cumsum(out_counts) - out_counts)[owners] + number
    ]
    return onward


def _closed(
    begins: Longs,
    stops: Longs,
    onward: Longs,
    heights: Floats,
    places: Floats,
    levels: Longs,
    close_mm: float,
) -> tuple[Longs, Longs, Longs, Floats]:
    """The segments with one more across each gap no wider than `close_mm`, nearest ends first.

    Besides (g, 4): x, y, height and width of each gap that was closed.
    """
    gaps = [np.zeros((0, 4))]
    while True:
        tails = np.flatnonzero(onward < 0)
        heads = np.flatnonzero(np.bincount(onward[onward >= 0], minlength=len(onward)) == 0)
        if not len(tails):
            break
        at_tails = np.column_stack([places[stops[tails]], _FAR * levels[stops[tails]]])
        at_heads = np.column_stack([places[begins[heads]], _FAR * levels[begins[heads]]])
        width, nearest = place_tree(at_heads).query(at_tails, distance_upper_bound=close_mm)
        _, back = place_tree(at_tails).query(at_heads, distance_upper_bound=close_mm)
        mutual = np.flatnonzero(np.append(back, -1)[nearest] == np.arange(len(tails)))
        if not len(mutual):
            break
        tails, heads = tails[mutual], heads[nearest[mutual]]
        gaps.append(np.column_stack([places[stops[tails]], heights[levels[stops[tails]]], width[mutual]]))
        onward[tails] = len(onward) + np.arange(len(tails))
        begins, stops = np.append(begins, stops[tails]), np.append(stops, begins[heads])
        onward = np.append(onward, heads)
    return begins, stops, onward, np.concatenate(gaps)


def _in_order(onward: Longs) -> tuple[Longs, Longs, Bools]:
    """Of each segment the number of its way and its place along it, and of each way whether it is open.

    Rings begin at their first segment. Places are found by pointer doubling (Wyllie's list ranking).
    """
    count = len(onward)
    has_next = np.flatnonzero(onward >= 0)
    label = components_of(count, has_next, onward[has_next])
    ways = int(label.max(initial=-1)) + 1
    ends_somewhere = np.zeros(ways, bool)
    ends_somewhere[label[onward < 0]] = True
    firsts = np.full(ways, count)
    np.minimum.at(firsts, label, np.arange(count))
    after = onward.copy()
    is_ring_first = np.zeros(count, bool)
    is_ring_first[firsts[~ends_somewhere]] = True
    after[is_ring_first[np.maximum(onward, 0)] & (onward >= 0)] = -1
    left = (after >= 0).astype(np.int64)  # how many segments follow
    jump = np.where(after >= 0, after, np.arange(count))
    while True:
        further = left[jump]
        if not further.any():
            break
        left += further
        jump = jump[jump]
    sizes = np.bincount(label, minlength=ways)
    return label, sizes[label] - 1 - left, ends_somewhere


def _joined(heights: Floats, pieces: list[Slices]) -> Slices:
    """Slices of stretches of levels that follow one another, as one."""
    points = np.concatenate([piece.points for piece in pieces])
    sizes = np.concatenate([np.diff(piece.starts) for piece in pieces])
    return Slices(
        frozen(heights),
        frozen(points),
        frozen(np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64)),
        frozen(np.concatenate([piece.levels for piece in pieces])),
        frozen(np.concatenate([piece.is_open for piece in pieces])),
        frozen(np.concatenate([piece.gaps for piece in pieces])),
    )
