"""Exact distances between segments and triangles, and the search for near pairs in plan."""

from __future__ import annotations

import numpy as np
from shapely import STRtree, box

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh

_CELL_MM = 1.0
_MOST_PAIRS = 400_000


@heavy
def segment_clearances(mesh: Mesh, starts: Floats, stops: Floats, search_mm: Floats) -> Floats:
    """(n,): distance of each segment from the mesh's surface, at most its `search_mm` (n,).

    `starts` and `stops` are (n, 3). Pairs are found in plan, then measured exactly.
    """
    result = np.array(search_mm, np.float64)
    if not len(starts) or not len(mesh.faces):
        return result
    lows = np.minimum(starts, stops) - search_mm[:, None]
    highs = np.maximum(starts, stops) + search_mm[:, None]
    faces = faces_near(mesh, lows, highs)
    if not len(faces):
        return result
    corners = mesh.vertices[mesh.faces[faces]]
    face_lows, face_highs = mesh.face_lows[faces], mesh.face_highs[faces]
    tree = STRtree(box(lows[:, 0], lows[:, 1], highs[:, 0], highs[:, 1]))
    face, segment = tree.query(box(face_lows[:, 0], face_lows[:, 1], face_highs[:, 0], face_highs[:, 1]))
    level = (face_lows[face, 2] <= highs[segment, 2]) & (face_highs[face, 2] >= lows[segment, 2])
    face, segment = face[level], segment[level]
    for first in range(0, len(face), _MOST_PAIRS):
        f, s = face[first : first + _MOST_PAIRS], segment[first : first + _MOST_PAIRS]
        np.minimum.at(result, s, segment_triangle_distances(starts[s], stops[s], corners[f]))
    return result


def faces_near(mesh: Mesh, lows: Floats, highs: Floats) -> Longs:
    """Faces whose box in plan touches a cell that some segment's box touches (summed-area table)."""
    origin = lows[:, :2].min(axis=0)
    size = highs[:, :2].max(axis=0) - origin
    cell = max(_CELL_MM, float(size.max()) / 2000)
    shape = np.ceil(size / cell).astype(int) + 1
    marks = np.zeros(tuple(shape + 1), np.int32)
    a = ((lows[:, :2] - origin) / cell).astype(int)
    b = ((highs[:, :2] - origin) / cell).astype(int) + 1
    np.add.at(marks, (a[:, 0], a[:, 1]), 1)
    np.add.at(marks, (b[:, 0], b[:, 1]), 1)
    np.add.at(marks, (a[:, 0], b[:, 1]), -1)
    np.add.at(marks, (b[:, 0], a[:, 1]), -1)
    covered = marks.cumsum(axis=0).cumsum(axis=1) > 0
    sums = np.zeros(tuple(shape + 2), np.int64)
    sums[1:, 1:] = covered.cumsum(axis=0).cumsum(axis=1)
    level = (mesh.face_lows[:, 2] <= highs[:, 2].max()) & (mesh.face_highs[:, 2] >= lows[:, 2].min())
    faces = np.flatnonzero(level)
    first = np.floor((mesh.face_lows[faces, :2] - origin) / cell)
    last = np.floor((mesh.face_highs[faces, :2] - origin) / cell) + 1
    (x0, y0), (x1, y1) = (np.clip(ends.T, 0, (shape + 1)[:, None]).astype(np.int64) for ends in (first, last))
    touched = sums[x1, y1] - sums[x0, y1] - sums[x1, y0] + sums[x0, y0]
    return faces[touched > 0]


def segment_triangle_distances(p: Floats, q: Floats, corners: Floats) -> Floats:
    """(k,): distance between segment p-q (k, 3) and triangle (k, 3, 3), pair by pair; 0 where they meet.

    The least of: both ends to the triangle, the segment to each edge; method as in Ericson 2005, chapter 5.
    """
    best = np.minimum(point_triangle_distances(p, corners), point_triangle_distances(q, corners))
    for i in range(3):
        best = np.minimum(best, segment_segment_distances(p, q, corners[:, i], corners[:, (i + 1) % 3]))
    best[_pierces(p, q, corners)] = 0
    return best


def _dot(a: Floats, b: Floats) -> Floats:
    result: Floats = np.einsum("ij,ij->i", a, b)
    return result


def _pierces(p: Floats, q: Floats, corners: Floats) -> np.ndarray:
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = np.cross(b - a, c - a)
    from_p, from_q = _dot(p - a, normal), _dot(q - a, normal)
    across = (from_p * from_q <= 0) & (from_p != from_q)
    share = np.where(across, from_p / np.where(across, from_p - from_q, 1), 0)
    place = p + share[:, None] * (q - p)
    inside = across
    for one, other in ((a, b), (b, c), (c, a)):
        inside = inside & (_dot(np.cross(other - one, place - one), normal) >= 0)
    return inside


def point_triangle_distances(points: Floats, corners: Floats) -> Floats:
    """(k,): distance of each point (k, 3) from its triangle (k, 3, 3)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = np.cross(b - a, c - a)
    squared = _dot(normal, normal)
    inside = squared > 0
    for one, other in ((a, b), (b, c), (c, a)):
        inside &= _dot(np.cross(other - one, points - one), normal) >= 0
    height = np.abs(_dot(points - a, normal)) / np.sqrt(np.where(squared > 0, squared, 1))
    to_edges = np.minimum.reduce(
        [_point_segment(points, a, b), _point_segment(points, b, c), _point_segment(points, c, a)]
    )
    return np.where(inside, height, to_edges)


def nearest_on_triangles(points: Floats, corners: Floats) -> Floats:
    """(k, 3): the place of each triangle (k, 3, 3) that is nearest to its point (k, 3)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = np.cross(b - a, c - a)
    squared = _dot(normal, normal)
    inside = squared > 0
    best, least = a.copy(), np.full(len(points), np.inf)
    for one, other in ((a, b), (b, c), (c, a)):
        inside &= _dot(np.cross(other - one, points - one), normal) >= 0
        place = _nearest_on_segments(points, one, other)
        away = np.linalg.norm(points - place, axis=1)
        nearer = away < least
        best[nearer], least[nearer] = place[nearer], away[nearer]
    foot = points - (_dot(points - a, normal) / np.where(squared > 0, squared, 1))[:, None] * normal
    return np.where(inside[:, None], foot, best)


def _point_segment(points: Floats, a: Floats, b: Floats) -> Floats:
    result: Floats = np.linalg.norm(points - _nearest_on_segments(points, a, b), axis=1)
    return result


def _nearest_on_segments(points: Floats, a: Floats, b: Floats) -> Floats:
    along = b - a
    squared = _dot(along, along)
    share = np.clip(_dot(points - a, along) / np.where(squared > 0, squared, 1), 0, 1)
    result: Floats = a + share[:, None] * along
    return result


def segment_segment_distances(p: Floats, q: Floats, a: Floats, b: Floats) -> Floats:
    """(k,): distance between segments p-q and a-b, all (k, 3), pair by pair."""
    u, v, w = q - p, b - a, p - a
    uu, vv, uv, uw, vw = _dot(u, u), _dot(v, v), _dot(u, v), _dot(u, w), _dot(v, w)
    determinant = uu * vv - uv * uv
    skew = determinant > 1e-12 * uu * vv
    s = np.clip(np.where(skew, (uv * vw - vv * uw) / np.where(skew, determinant, 1), 0), 0, 1)
    t = np.clip((uv * s + vw) / np.where(vv > 0, vv, 1), 0, 1)
    s = np.clip((uv * t - uw) / np.where(uu > 0, uu, 1), 0, 1)
    result: Floats = np.linalg.norm(w + s[:, None] * u - t[:, None] * v, axis=1)
    return result
