"""Exact distances between segments and triangles, and the search for near pairs in plan."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, counted_out, crossed
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.plan_grid import PlanGrid

_PIECE_MM = 3.0
_MOST_PAIRS = 400_000
_SAME_MM = 1e-9


@heavy
def segment_clearances(mesh: Mesh, starts: Floats, stops: Floats, search_mm: Floats) -> Floats:
    """(n,): distance of each segment from the mesh's surface, at most its `search_mm` (n,).

    `starts` and `stops` are (n, 3). Pairs are found in plan, then measured exactly.
    """
    result = np.array(search_mm, np.float64)
    if not len(starts) or not len(mesh.faces):
        return result
    near = _near_box(mesh, np.minimum(starts, stops), np.maximum(starts, stops), search_mm[:, None])
    if len(near) < len(starts):
        if len(near):
            result[near] = segment_clearances(mesh, starts[near], stops[near], search_mm[near])
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
            near = _near_planes(mesh, f, begins[s], ends[s], search[s, 0])
            f, s = f[near], s[near]
            away = segment_triangle_distances(begins[s], ends[s], mesh.vertices[mesh.faces[f]])
            np.minimum.at(result, piece_of[s], away)
    return result


@heavy
def group_clearances(mesh: Mesh, starts: Floats, stops: Floats, search_mm: float) -> Floats:
    """(n, e): as `segment_clearances`, of n groups of e segments that lie close together.

    `starts` and `stops` are (n, e, 3). Faces are found once a group, by the box round it, then by that of each segment.
    """
    result = np.full(starts.shape[:2], search_mm)
    lows, highs = np.minimum(starts, stops) - search_mm, np.maximum(starts, stops) + search_mm
    for face, group, segment in _pairs_of_groups(mesh, lows, highs):
        own = group, segment
        near = _near_planes(mesh, face, starts[own], stops[own], search_mm)
        own, face = (group[near], segment[near]), face[near]
        away = segment_triangle_distances(starts[own], stops[own], mesh.vertices[mesh.faces[face]])
        np.minimum.at(result, own, away)
    return result


@heavy
def place_clearances(mesh: Mesh, places: Floats, search_mm: float) -> Floats:
    """(n, e): distance of each place (n, e, 3) of n groups from the mesh's surface, at most `search_mm`."""
    result = np.full(places.shape[:2], search_mm)
    for face, group, place in _pairs_of_groups(mesh, places - search_mm, places + search_mm):
        own = group, place
        near = _near_planes(mesh, face, places[own], places[own], search_mm)
        own, face = (group[near], place[near]), face[near]
        np.minimum.at(result, own, point_triangle_distances(places[own], mesh.vertices[mesh.faces[face]]))
    return result


@heavy
def corner_clearances(mesh: Mesh, triangles: Floats, search_mm: float) -> Floats:
    """(n, t): distance of each triangle (n, t, 3, 3) of n groups from the vertices of the mesh, at most `search_mm`.

    With `group_clearances` of their edges this is how far triangles are from a mesh.
    """
    result = np.full(triangles.shape[:2], search_mm)
    lows, highs = triangles.min(axis=2) - search_mm, triangles.max(axis=2) + search_mm
    for face, group, triangle in _pairs_of_groups(mesh, lows, highs):
        own = group, triangle
        for corner in range(3):
            places = mesh.vertices[mesh.faces[face, corner]]
            near = np.flatnonzero(np.logical_and.reduce((places >= lows[own]) & (places <= highs[own]), axis=1))
            some = group[near], triangle[near]
            np.minimum.at(result, some, point_triangle_distances(places[near], triangles[some]))
    return result


def _near_box(mesh: Mesh, lows: Floats, highs: Floats, search_mm: Floats) -> Longs:
    """The numbers of those boxes (n, 3) that come as near to the box round a mesh as is searched for (n, 1)."""
    low, high = mesh.bounds
    return np.flatnonzero(np.logical_and.reduce((lows - search_mm <= high) & (highs + search_mm >= low), axis=1))


def _near_planes(mesh: Mesh, faces: Longs, starts: Floats, stops: Floats, search_mm: Floats | float) -> Longs:
    """Of pairs of faces and segments (k, 3) those that are nearer to the face's plane than is searched for.

    Most segments run along faces, as far from their planes as that, or farther.
    """
    corner, normals = mesh.vertices[mesh.faces[faces, 0]], mesh.normals[faces]
    one, other = _dot(starts - corner, normals), _dot(stops - corner, normals)
    least = np.where(one * other > 0, np.minimum(np.abs(one), np.abs(other)), 0.0)
    # A face without area has no normal: it is near to all.
    return np.flatnonzero((least < search_mm - _SAME_MM) | ~normals.any(axis=1))


def _pairs_of_groups(mesh: Mesh, lows: Floats, highs: Floats) -> Iterator[tuple[Longs, Longs, Longs]]:
    """Faces whose boxes meet boxes (n, e, 3) of groups: the numbers of face, group and box of each, by portions."""
    if not lows.size or not len(mesh.faces):
        return
    at_once = max(1, _MOST_PAIRS // lows.shape[1])
    for face, group in PlanGrid.of(mesh).pairs(lows.min(axis=1), highs.max(axis=1)):
        for first in range(0, len(face), at_once):
            f, g = face[first : first + at_once], group[first : first + at_once]
            meets = np.ones((len(f), lows.shape[1]), bool)
            for axis in range(3):
                meets &= mesh.face_lows[f, axis, None] <= highs[g, :, axis]
                meets &= mesh.face_highs[f, axis, None] >= lows[g, :, axis]
            row, box = np.nonzero(meets)
            yield f[row], g[row], box


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
    normal = crossed(b - a, c - a)
    from_p, from_q = _dot(p - a, normal), _dot(q - a, normal)
    across = (from_p * from_q <= 0) & (from_p != from_q)
    share = np.where(across, from_p / np.where(across, from_p - from_q, 1), 0)
    place = p + share[:, None] * (q - p)
    inside = across
    for one, other in ((a, b), (b, c), (c, a)):
        inside = inside & (_dot(crossed(other - one, place - one), normal) >= 0)
    return inside


def point_triangle_distances(points: Floats, corners: Floats) -> Floats:
    """(k,): distance of each point (k, 3) from its triangle (k, 3, 3)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = crossed(b - a, c - a)
    squared = _dot(normal, normal)
    inside = squared > 0
    for one, other in ((a, b), (b, c), (c, a)):
        inside &= _dot(crossed(other - one, points - one), normal) >= 0
    height = np.abs(_dot(points - a, normal)) / np.sqrt(np.where(squared > 0, squared, 1))
    to_edges = np.minimum.reduce(
        [_point_segment(points, a, b), _point_segment(points, b, c), _point_segment(points, c, a)]
    )
    return np.where(inside, height, to_edges)


def nearest_on_triangles(points: Floats, corners: Floats) -> Floats:
    """(k, 3): the place of each triangle (k, 3, 3) that is nearest to its point (k, 3)."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = crossed(b - a, c - a)
    squared = _dot(normal, normal)
    inside = squared > 0
    best, least = a.copy(), np.full(len(points), np.inf)
    for one, other in ((a, b), (b, c), (c, a)):
        inside &= _dot(crossed(other - one, points - one), normal) >= 0
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
