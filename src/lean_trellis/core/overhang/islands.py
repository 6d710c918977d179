"""Islands: where a piece of solid begins in the air.

A sweep over the vertices by height. Each vertex runs down to the minimum below it; where the basins of two
minima meet is the height at which the younger piece joins the older one (elder rule of the merge tree,
Edelsbrunner and Harer 2010). A minimum whose normal points up begins a void, not a solid, and does not count.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import minimum_spanning_tree

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.progress import UNWATCHED, Watch


@dataclass(frozen=True)
class Island:
    """An area of a layer with nothing below it.

    `z_mm` is the height at which it begins, `area_mm2` (in the layer, tilted or not) and the middle (`x_mm`, `y_mm`)
    those of the first layer that shows it, `joins_mm` the height at which it grows together with an older piece
    (infinite: never).
    """

    z_mm: float
    x_mm: float
    y_mm: float
    area_mm2: float
    joins_mm: float
    vertex: int


@dataclass(frozen=True, eq=False)
class _Births:
    """Per minimum: its vertex, the height at which it ends, and whether it begins a solid."""

    vertices: Longs
    ends: Floats
    basin_of_vertex: Longs
    joins: tuple[tuple[float, int, int], ...]


@heavy
def find_islands(
    topology: Topology,
    placed: Mesh,
    layer_height: float,
    *,
    layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0),
    resting_mm: float = 0.02,
    watch: Watch = UNWATCHED,
) -> tuple[Island, ...]:
    """Every piece that begins above the plate and is still by itself in the first layer that cuts it.

    Layers are cut at (i + 1/2) · `layer_height`. What begins within `resting_mm` of the plate rests on it.
    """
    if not len(placed.faces):
        return ()
    watch.at(0.1, "sweeping for islands")
    normal = np.array(layer_normal)
    along = placed.vertices @ normal
    births = _sweep(topology, placed, along, normal)
    begin = along[births.vertices]
    first_cut = (np.floor(begin / layer_height - 0.5 + 1e-9) + 1.5) * layer_height
    stays = (first_cut < births.ends) & (placed.vertices[births.vertices, 2] > resting_mm)
    watch.at(0.7, "measuring islands")
    return _measured(placed, along, births, np.flatnonzero(stays), first_cut, float(normal[2]))


def _sweep(topology: Topology, placed: Mesh, along: Floats, normal: Floats) -> _Births:
    """All minima of the surface and when each is swallowed by an older solid piece."""
    n = len(placed.vertices)
    rank = np.empty(n, np.int64)
    rank[np.lexsort((np.arange(n), along))] = np.arange(n)
    basin_root = _run_down(topology, rank)
    minima, basin = np.unique(basin_root, return_inverse=True)
    used = np.zeros(n, bool)
    used[placed.faces] = True
    solid = _begins_solid(placed, minima, normal) & used[minima]
    joins = _basin_joins(topology, along, basin, len(minima))
    ends = _elder_rule(along[minima], rank[minima], solid, joins)
    return _Births(minima, np.where(solid, ends, -np.inf), basin, joins)


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


def _elder_rule(begin: Floats, rank: Longs, solid: Bools, joins: tuple[tuple[float, int, int], ...]) -> Floats:
    """(k,): the height at which each minimum meets an older solid one; infinite for the oldest."""
    from scipy.cluster.hierarchy import DisjointSet  # not before it is needed: a window starts without it

    ends = np.full(len(begin), np.inf)
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
        ends[younger] = height
    return ends


def _measured(
    placed: Mesh, along: Floats, births: _Births, chosen: Longs, first_cut: Floats, upright: float
) -> tuple[Island, ...]:
    """Area and middle of each chosen piece in its first layer, by Green's theorem over its cut.

    The cut is measured in plan; `upright` is the layer normal's z, by which a tilted layer's area is larger.
    """
    face_heights = along[placed.faces]
    lowest_corner = placed.faces[np.arange(len(placed.faces)), face_heights.argmin(axis=1)]
    face_basin = births.basin_of_vertex[lowest_corner]
    by_basin = np.argsort(face_basin, kind="stable")
    starts = np.searchsorted(face_basin[by_basin], np.arange(len(births.vertices) + 1))
    top = face_heights.max(axis=1)
    low = face_heights.min(axis=1)
    neighbours: dict[int, list[tuple[float, int]]] = {}
    for height, a, b in births.joins:
        neighbours.setdefault(a, []).append((height, b))
        neighbours.setdefault(b, []).append((height, a))
    islands = []
    for birth in chosen.tolist():
        cut = float(first_cut[birth])
        basins = _joined_below(birth, cut, neighbours)
        faces = np.concatenate([by_basin[starts[basin] : starts[basin + 1]] for basin in basins])
        faces = faces[(low[faces] < cut) & (top[faces] >= cut)]
        area, x, y = _cut_area(placed, along, faces, cut)
        vertex = int(births.vertices[birth])
        if area <= 0:
            continue
        islands.append(
            Island(float(placed.vertices[vertex, 2]), x, y, area / upright, float(births.ends[birth]), vertex)
        )
    return tuple(sorted(islands, key=lambda island: (island.z_mm, island.x_mm, island.y_mm)))


def _joined_below(start: int, height: float, neighbours: dict[int, list[tuple[float, int]]]) -> list[int]:
    """All basins that have grown together with `start` below a height."""
    seen, waiting = {start}, [start]
    while waiting:
        for joined_at, other in neighbours.get(waiting.pop(), ()):
            if joined_at < height and other not in seen:
                seen.add(other)
                waiting.append(other)
    return list(seen)


def _cut_area(placed: Mesh, along: Floats, faces: Longs, height: float) -> tuple[float, float, float]:
    """Area, x and y of the middle of what the plane cuts out of these faces, seen in plan.

    Each face gives one directed segment with the solid on its left; sums over segments need no chaining.
    """
    if not len(faces):
        return 0.0, 0.0, 0.0
    corners = placed.faces[faces]
    above = along[corners] >= height
    lone_above = above.sum(axis=1) == 1
    lone = np.where(lone_above, above.argmax(axis=1), (~above).argmax(axis=1))
    rows = np.arange(len(faces))
    tip, following, before = (corners[rows, (lone + i) % 3] for i in range(3))

    def crossing(one: Longs, other: Longs) -> Floats:
        share = (height - along[one]) / (along[other] - along[one])
        point: Floats = placed.vertices[one, :2] + share[:, None] * (
            placed.vertices[other, :2] - placed.vertices[one, :2]
        )
        return point

    p, q = crossing(tip, following), crossing(tip, before)
    begin = np.where(lone_above[:, None], p, q)
    stop = np.where(lone_above[:, None], q, p)
    origin = begin.mean(axis=0)
    a, b = begin - origin, stop - origin
    doubled = b[:, 0] * a[:, 1] - a[:, 0] * b[:, 1]
    area = float(doubled.sum() / 2)
    if abs(area) < 1e-12:
        return 0.0, 0.0, 0.0
    x, y = ((a + b) * doubled[:, None]).sum(axis=0) / (6 * area) + origin
    return abs(area), float(x), float(y)
