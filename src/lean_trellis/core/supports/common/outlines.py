"""Shapes in plan: shadows of meshes, and plates made from shapes."""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import pairwise

import numpy as np
import shapely
from manifold3d import CrossSection, FillRule

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.errors import EditError
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.supports.common.floors import Shape, moved_out

_FINE = 32
"""Segments of a quarter circle: the area of a round corner is right to one in 2,500."""
_TINY_MM2 = 1e-6


@heavy
def shadow(mesh: Mesh) -> Shape:
    """What a mesh covers as seen from above, holes kept; its faces need not bound a solid.

    Solids are projected by their silhouettes (manifold3d), which takes a fraction of what the union of their faces
    takes.
    """
    try:
        rings = to_manifold(mesh).project().to_polygons()
    except EditError:
        rings = []
    return from_rings(rings) if rings else _covered_by_faces(mesh)


def _covered_by_faces(mesh: Mesh) -> Shape:
    """The union of its faces as seen from above."""
    corners = mesh.vertices[mesh.faces][:, :, :2]
    turn = _turns(corners)
    up = corners[turn > 1e-12]
    down = corners[turn < -1e-12][:, ::-1]
    # One side of a closed body covers all of it: the one with fewer faces is taken.
    seen = up if 0 < len(up) <= len(down) or not len(down) else down
    if not len(seen):
        return shapely.Polygon()
    rings = CrossSection(list(seen), FillRule.NonZero).to_polygons()
    return from_rings(rings)


def _turns(corners: Floats) -> Floats:
    """(n,): twice the area of triangles (n, 3, 2) in plan, above 0 where they turn left."""
    u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    result: Floats = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    return result


def from_rings(rings: list[np.ndarray]) -> Shape:
    """A shape from rings that turn left, and holes that turn right."""
    outer = [ring for ring in rings if len(ring) > 2 and _turn(ring) > 0]
    holes = [ring for ring in rings if len(ring) > 2 and _turn(ring) < 0]
    if not outer:
        return shapely.Polygon()
    whole = shapely.union_all([shapely.Polygon(ring).buffer(0) for ring in outer])
    return whole.difference(shapely.union_all([shapely.Polygon(ring).buffer(0) for ring in holes])) if holes else whole


def _turn(ring: np.ndarray) -> float:
    x, y = ring.T
    return float((x * np.roll(y, -1) - y * np.roll(x, -1)).sum())


def widened(shape: Shape, margin: float) -> Shape:
    """A shape with all that is within a margin of it, or without what is that near to its rim where it is below 0."""
    return shape if margin == 0 else moved_out(shape, margin, quad_segs=_FINE)


def polygons_of(shape: Shape) -> list[Shape]:
    """The polygons of a shape that have an area."""
    parts = shapely.get_parts(shapely.orient_polygons(shape)) if not shape.is_empty else []
    return [part for part in parts if part.geom_type == "Polygon" and part.area > _TINY_MM2]


def plate(polygon: Shape, low: float, high: float, draw_in: float = 0.0) -> Mesh:
    """A closed solid over one polygon, from `low` to `high`; its top drawn in all round.

    Where there is too little room for a slope, the sides stand upright.
    """
    top = polygon
    if draw_in > 0:
        smaller = moved_out(polygon, -draw_in, join_style="mitre")
        parts = polygons_of(smaller)
        if len(parts) == 1 and len(parts[0].interiors) == len(polygon.interiors):
            top = parts[0]
    return _lofted(polygon, top, low, high)


def _lofted(bottom: Shape, top: Shape, low: float, high: float) -> Mesh:
    below = _Numbered(bottom, 0)
    above = _Numbered(top, len(below.places))
    faces = [below.triangles(bottom)[:, ::-1], above.triangles(top)]
    if top is bottom:
        for ring in below.rings:
            following = np.roll(ring, -1)
            faces += [np.column_stack([ring, following, following + above.first]),
                      np.column_stack([ring, following + above.first, ring + above.first])]  # fmt: skip
    else:
        for one, other in _paired(bottom, top):
            faces.append(_zipped(below.places, below.rings[one], above.places, above.rings[other], above.first))
    vertices = np.concatenate([
        np.column_stack([below.places, np.full(len(below.places), low)]),
        np.column_stack([above.places, np.full(len(above.places), high)]),
    ])  # fmt: skip
    whole = np.concatenate(faces)
    used, corners = np.unique(whole, return_inverse=True)
    return Mesh(vertices[used], corners.reshape(-1, 3).astype(np.int32))


class _Numbered:
    """The corners of a polygon with numbers from `first` on, found again by their place."""

    def __init__(self, polygon: Shape, first: int) -> None:
        self.first = first
        rings = [np.asarray(ring.coords)[:-1] for ring in (polygon.exterior, *polygon.interiors)]
        self.places: Floats = np.concatenate(rings)
        starts = np.cumsum([0, *(len(ring) for ring in rings)])
        self.rings: list[Longs] = [np.arange(a, b) for a, b in pairwise(starts)]
        self._numbers = {tuple(place): number + first for number, place in enumerate(self.places.tolist())}

    def triangles(self, polygon: Shape) -> Longs:
        return _triangles(polygon, lambda place: self._numbers[place])


def _paired(bottom: Shape, top: Shape) -> list[tuple[int, int]]:
    """Which ring of the lower outline belongs to which of the upper one: outer to outer, a hole to what it lies in."""
    pairs = [(0, 0)]
    holes = [shapely.Polygon(ring) for ring in top.interiors]
    for number, ring in enumerate(bottom.interiors):
        place = shapely.point_on_surface(shapely.Polygon(ring))
        pairs.append((number + 1, 1 + next(n for n, hole in enumerate(holes) if hole.covers(place))))
    return pairs


def _zipped(low: Floats, ring: Longs, high: Floats, other: Longs, first: int) -> Longs:
    """(n + m, 3): the slope between two rings, led round both by whichever next diagonal is shorter.

    `ring` and `other` are numbers in `low` and `high`, those of the upper one counted from `first` on. Closed whatever
    the shapes are.
    """
    start = int(np.argmin(np.hypot(*(high[other] - low[ring[0]]).T)))
    upper = np.roll(other, -start)
    faces: list[tuple[int, int, int]] = []
    a = b = 0
    while a < len(ring) or b < len(upper):
        here, there = ring[a % len(ring)], upper[b % len(upper)]
        after, beyond = ring[(a + 1) % len(ring)], upper[(b + 1) % len(upper)]
        to_after = float(np.hypot(*(low[after] - high[there])))
        to_beyond = float(np.hypot(*(high[beyond] - low[here])))
        if b == len(upper) or (a < len(ring) and to_after <= to_beyond):
            faces.append((int(here), int(after), int(there) + first))
            a += 1
        else:
            faces.append((int(here), int(beyond) + first, int(there) + first))
            b += 1
    return np.array(faces, np.int64)


def _triangles(polygon: Shape, number: Callable[[tuple[float, float]], int]) -> Longs:
    """(t, 3): triangles that turn left, between the polygon's own corners."""
    parts = shapely.get_parts(shapely.constrained_delaunay_triangles(polygon))
    corners = shapely.get_coordinates(parts).reshape(-1, 4, 2)[:, :3]
    turn = _turns(corners)
    corners[turn < 0] = corners[turn < 0][:, ::-1]
    flat = [number((x, y)) for x, y in corners.reshape(-1, 2).tolist()]
    return np.array(flat, np.int64).reshape(-1, 3)


def largest_circle(polygon: Shape) -> tuple[float, tuple[float, float]]:
    """The radius of the largest circle that fits into a polygon, to a thousandth of its size, and its middle."""
    box = shapely.bounds(polygon)
    size = math.hypot(box[2] - box[0], box[3] - box[1])
    line = shapely.maximum_inscribed_circle(polygon, tolerance=max(1e-4 * size, 1e-5))
    middle = shapely.get_coordinates(line)[0]
    return float(line.length), (float(middle[0]), float(middle[1]))
