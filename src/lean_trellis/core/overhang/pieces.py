"""Pieces of solid as they grow: where each begins, and at which height it grows together with others.

A sweep over the vertices by height. Each vertex runs down to the minimum below it; where the basins of two
minima meet is the height at which the younger piece joins the older one (elder rule of the merge tree,
Edelsbrunner and Harer 2010). A minimum whose normal points up begins a void, not a solid, and does not count.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology


@dataclass(frozen=True, eq=False)
class Pieces:
    """Per minimum of height: its vertex, the height at which an older piece swallows it, -inf for voids, and that one.

    `along` (v,) are heights of all vertices along the layer normal, `basin_of_vertex` (v,) the minimum below each,
    `joins` the heights at which basins meet, lowest first, as a spanning forest: (height, basin, basin).
    """

    vertices: Longs
    ends: Floats
    elders: Longs
    basin_of_vertex: Longs
    joins: tuple[tuple[float, int, int], ...]
    along: Floats

    def alone_until(self, brief: float) -> Floats:
        """(k,): up to which height each piece is by itself: until it meets another that lasts longer than `brief`.

        -inf for voids, infinite for what never meets another.
        """
        lasting = np.flatnonzero((self.ends - self.along[self.vertices] > brief) & np.isfinite(self.ends))
        alone = self.ends.copy()
        np.minimum.at(alone, self.elders[lasting], self.ends[lasting])
        return np.where(np.isneginf(self.ends), -np.inf, alone)

    def basins_at(self, mesh: Mesh, faces: Longs) -> Longs:
        """(n,): the basin under each face: that of its lowest corner, to which a place on it leads straight down."""
        corners = mesh.faces[faces]
        lowest: Longs = corners[np.arange(len(faces)), self.along[corners].argmin(axis=1)]
        return self.basin_of_vertex[lowest]

    def joined_at(self, one: Longs, other: Longs) -> Floats:
        """(n,): the height from which two basins each are one piece; -inf for the same, infinite for never."""
        result = np.where(one == other, -np.inf, np.inf)
        asked = np.flatnonzero(one != other)
        if not len(asked) or not self.joins:
            return result
        both = np.sort(np.column_stack([one[asked], other[asked]]), axis=1)
        pairs, place = np.unique(both, axis=0, return_inverse=True)
        result[asked] = _bottlenecks(self.joins, len(self.vertices), pairs)[place.reshape(-1)]
        return result


def _bottlenecks(joins: tuple[tuple[float, int, int], ...], count: int, pairs: Longs) -> Floats:
    """(k,): the height at which the two of each pair become one, all in one sweep over the joins.

    Each set keeps the pairs that lead out of it; the smaller set is poured into the larger.
    """
    home = list(range(count))
    inside = [[n] for n in range(count)]
    open_pairs: list[list[int]] = [[] for _ in range(count)]
    ends = pairs.tolist()
    for number, (a, b) in enumerate(ends):
        open_pairs[a].append(number)
        open_pairs[b].append(number)
    result = np.full(len(ends), np.inf)
    left = len(ends)
    for height, a, b in joins:
        one, other = home[a], home[b]
        if one == other:
            continue
        if len(inside[one]) < len(inside[other]):
            one, other = other, one
        for number in inside[other]:
            home[number] = one
        inside[one] += inside[other]
        for number in open_pairs[other]:
            if home[ends[number][0]] == home[ends[number][1]]:
                if result[number] == np.inf:
                    result[number], left = height, left - 1
            else:
                open_pairs[one].append(number)
        inside[other], open_pairs[other] = [], []
        if not left:
            break
    return result


def find_pieces(topology: Topology, placed: Mesh, layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0)) -> Pieces:
    """All minima of the surface along the layer normal, and when each is swallowed by an older solid piece."""
    normal = np.array(layer_normal)
    along = placed.vertices @ normal
    n = len(placed.vertices)
    rank = np.empty(n, np.int64)
    rank[np.lexsort((np.arange(n), along))] = np.arange(n)
    basin_root = _run_down(topology, rank)
    minima, basin = np.unique(basin_root, return_inverse=True)
    used = np.zeros(n, bool)
    used[placed.faces] = True
    solid = _begins_solid(placed, minima, normal) & used[minima]
    joins = _basin_joins(topology, along, basin, len(minima))
    ends, elders = _elder_rule(along[minima], rank[minima], solid, joins)
    return Pieces(minima, np.where(solid, ends, -np.inf), elders, basin, joins, along)


def _run_down(topology: Topology, rank: Longs) -> Longs:
    """(n,): the minimum that each vertex reaches by always stepping to its lowest neighbour."""
    lowest = rank.copy()
    a, b = topology.edge_vertices.astype(np.int64).T
    np.minimum.at(lowest, a, rank[b])
    np.minimum.at(lowest, b, rank[a])
    by_rank = np.empty_like(rank)
    by_rank[rank] = np.arange(len(rank))
    pointer = by_rank[lowest]
    while not np.array_equal(further := pointer[pointer], pointer):
        pointer = further
    return pointer


def _begins_solid(placed: Mesh, minima: Longs, normal: Floats) -> Bools:
    """Whether the faces round each minimum look down on the whole, weighted by their angle there."""
    place = np.full(len(placed.vertices), -1, np.int64)
    place[minima] = np.arange(len(minima))
    rows, corners = np.nonzero(place[placed.faces] >= 0)
    here = placed.vertices[placed.faces[rows, corners]]
    u = placed.vertices[placed.faces[rows, (corners + 1) % 3]] - here
    v = placed.vertices[placed.faces[rows, (corners + 2) % 3]] - here
    lengths = np.linalg.norm(u, axis=1) * np.linalg.norm(v, axis=1)
    cosines = np.einsum("ij,ij->i", u, v) / np.where(lengths > 0, lengths, 1)
    weight = np.arccos(np.clip(cosines, -1, 1)) * (placed.normals[rows] @ normal)
    total = np.bincount(place[placed.faces[rows, corners]], weights=weight, minlength=len(minima))
    result: Bools = total < 0
    return result


def _basin_joins(topology: Topology, along: Floats, basin: Longs, count: int) -> tuple[tuple[float, int, int], ...]:
    """The heights at which basins meet, lowest first, as a spanning forest: (height, basin, basin)."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import minimum_spanning_tree

    a, b = topology.edge_vertices.T
    crossing = basin[a] != basin[b]
    if not crossing.any():
        return ()
    first, second = np.minimum(basin[a], basin[b])[crossing], np.maximum(basin[a], basin[b])[crossing]
    height = np.maximum(along[a], along[b])[crossing]
    order = np.lexsort((height, second, first))
    first, second, height = first[order], second[order], height[order]
    lowest = np.concatenate([[True], (first[1:] != first[:-1]) | (second[1:] != second[:-1])])
    first, second, height = first[lowest], second[lowest], height[lowest]
    # The tree needs positive weights: heights are lifted above zero for it and read back from the edge.
    weights = height - height.min() + 1.0
    tree = minimum_spanning_tree(coo_matrix((weights, (first, second)), shape=(count, count))).tocoo()
    heights = tree.data - 1.0 + height.min()
    ordered = np.argsort(heights, kind="stable")
    return tuple(zip(heights[ordered].tolist(), tree.row[ordered].tolist(), tree.col[ordered].tolist(), strict=True))


def _elder_rule(
    begin: Floats, rank: Longs, solid: Bools, joins: tuple[tuple[float, int, int], ...]
) -> tuple[Floats, Longs]:
    """Of each minimum (k,) the height at which it meets an older solid one, infinite for the oldest, and that one."""
    from scipy.cluster.hierarchy import DisjointSet  # not before it is needed: a window starts without it

    ends, elders = np.full(len(begin), np.inf), np.full(len(begin), -1)
    grown, eldest = DisjointSet(range(len(begin))), list(range(len(begin)))
    order = rank.tolist()
    is_solid = solid.tolist()

    def comes_first(one: int, other: int) -> bool:
        return (not is_solid[one], order[one]) < (not is_solid[other], order[other])

    for height, a, b in joins:
        one, other = eldest[grown[a]], eldest[grown[b]]
        if one == other:
            continue
        elder, younger = (one, other) if comes_first(one, other) else (other, one)
        grown.merge(a, b)
        eldest[grown[a]] = elder
        ends[younger], elders[younger] = height, elder
    return ends, elders
