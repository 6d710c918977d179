"""Exact distances between segments and triangles, and the search for near pairs in plan."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats, counted_out
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.plan_grid import PlanGrid

_PIECE_MM = 3.0
_MOST_PAIRS = 400_000


@heavy
def segment_clearances(mesh: Mesh, starts: Floats, stops: Floats, search_mm: Floats) -> Floats:
    """(n,): distance of each segment from the mesh's surface, at most its `search_mm` (n,).

    `starts` and `stops` are (n, 3). Pairs are found in plan, then measured exactly.
    """
    result = np.array(search_mm, np.float64)
    if not len(starts) or not len(mesh.faces):
        return result
    # A long way aside is looked at piece by piece: the box round all of it would hold too much.
    aside = np.hypot(*(stops - starts)[:, :2].T)
    piece_of, number = counted_out(np.maximum(1, np.ceil(aside / _PIECE_MM)).astype(np.int64))
    count = np.bincount(piece_of, minlength=len(starts))[piece_of]
    way = (stops - starts)[piece_of]
    begins = starts[piece_of] + (number / count)[:, None] * way
    ends = starts[piece_of] + ((number + 1) / count)[:, None] * way
    search = search_mm[piece_of, None]
    for face, piece in PlanGrid.of(mesh).pairs(np.minimum(begins, ends) - search, np.maximum(begins, ends) + search):
        for first in range(0, len(face), _MOST_PAIRS):
            f, s = face[first : first + _MOST_PAIRS], piece[first : first + _MOST_PAIRS]
            away = segment_triangle_distances(begins[s], ends[s], mesh.vertices[mesh.faces[f]])
            np.minimum.at(result, piece_of[s], away)
    return result


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
