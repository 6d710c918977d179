"""Islands: where a piece of solid begins in the air, and how large it is in its first layer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.overhang.pieces import Pieces, find_pieces
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


@heavy
def find_islands(
    topology: Topology,
    placed: Mesh,
    layer_height: float,
    *,
    layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0),
    resting_mm: float = 0.02,
    watch: Watch = UNWATCHED,
    pieces: Pieces | None = None,
) -> tuple[Island, ...]:
    """Every piece that begins above the plate and is still by itself in the first layer that cuts it.

    Layers are cut at (i + 1/2) · `layer_height`. What begins within `resting_mm` of the plate rests on it.
    """
    if not len(placed.faces):
        return ()
    watch.at(0.1, "sweeping for islands")
    normal = np.array(layer_normal)
    births = find_pieces(topology, placed, layer_normal) if pieces is None else pieces
    along = births.along
    begin = along[births.vertices]
    first_cut = (np.floor(begin / layer_height - 0.5 + 1e-9) + 1.5) * layer_height
    stays = (first_cut < births.ends) & (placed.vertices[births.vertices, 2] > resting_mm)
    watch.at(0.7, "measuring islands")
    return _measured(placed, along, births, np.flatnonzero(stays), first_cut, float(normal[2]))


def _measured(
    placed: Mesh, along: Floats, births: Pieces, chosen: Longs, first_cut: Floats, upright: float
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
