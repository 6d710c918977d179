"""Closed, outward solids from rings: bars and trunks, straight prisms, and feet with corners of their own."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from lean_trellis.core.arrays import Floats, Ints
from lean_trellis.core.mesh.mesh import Mesh


def polygon_share(sides: int) -> float:
    """Area of a regular polygon over the square of its corner radius."""
    return float(sides / 2 * np.sin(2 * np.pi / sides))


def swept_volumes(centres: Floats, radii: Floats, sides: int) -> Floats:
    """(n,) mm³ of solids with level rings: `centres` (n, r, 3), `radii` (n, r)."""
    heights = np.diff(centres[:, :, 2], axis=1)
    lower, upper = radii[:, :-1], radii[:, 1:]
    sums: Floats = (heights * (lower**2 + lower * upper + upper**2) / 3).sum(axis=1)
    return polygon_share(sides) * sums


def swept(centres: Floats, radii: Floats, sides: int) -> Mesh:
    """Solids with level rings, one after another: `centres` (n, r, 3), `radii` (n, r)."""
    return ring_solids(centres[:, :, None, :] + radii[:, :, None, None] * _circle(sides))


def prisms(starts: Floats, stops: Floats, radii: Floats, sides: int) -> Mesh:
    """Straight prisms from `starts` to `stops` (n, 3) with rings square to their axes."""
    along = stops - starts
    along = along / np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-12)
    helper = np.where(np.abs(along[:, 2:]) < 0.9, [[0.0, 0.0, 1.0]], [[1.0, 0.0, 0.0]])
    across = np.cross(helper, along)
    across /= np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-12)
    other = np.cross(along, across)
    circle = _circle(sides)
    ring = circle[None, :, :1] * across[:, None] + circle[None, :, 1:2] * other[:, None]
    ring = ring * radii[:, None, None]
    return ring_solids(np.stack([starts[:, None] + ring, stops[:, None] + ring], axis=1))


def ring_solids(rings: Floats, middles: Floats | None = None) -> Mesh:
    """Solids through rings of corners, `rings` (n, r, k, 3), counter-clockwise seen against the way up.

    Both ends are closed by fans, from their first corner or from `middles` (n, 2, 3): of the lowest ring and the
    highest.
    """
    n, count, sides, _ = rings.shape
    if n == 0:
        return Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))
    vertices = _with_middles(rings, middles)
    faces = _faces_of_one(count, sides, middles is not None)[None]
    faces = faces + (np.arange(n, dtype=np.int64) * vertices.shape[1])[:, None, None]
    return Mesh(np.ascontiguousarray(vertices).reshape(-1, 3), faces.reshape(-1, 3).astype(np.int32))


def ring_volumes(rings: Floats, middles: Floats | None = None) -> Floats:
    """(n,) mm³ of such solids, from their faces."""
    n, count, sides, _ = rings.shape
    vertices = _with_middles(rings, middles) - rings[:, :1, :1].reshape(n, 1, 3)
    a, b, c = (vertices[:, corner] for corner in _faces_of_one(count, sides, middles is not None).T)
    result: Floats = np.einsum("nfi,nfi->n", a, np.cross(b, c)) / 6
    return result


def _with_middles(rings: Floats, middles: Floats | None) -> Floats:
    corners = rings.reshape(len(rings), rings.shape[1] * rings.shape[2], 3)
    return corners if middles is None else np.concatenate([corners, middles], axis=1)


def faces_of_one(rings: int, sides: int) -> int:
    """How many triangles one solid with so many rings and corners has."""
    return len(_faces_of_one(rings, sides))


def _circle(sides: int) -> Floats:
    turn = 2 * np.pi * (np.arange(sides) + 0.5) / sides
    return np.column_stack([np.cos(turn), np.sin(turn), np.zeros(sides)])


@lru_cache(maxsize=64)
def _faces_of_one(rings: int, sides: int, has_middles: bool = False) -> Ints:
    """Side walls as pairs of triangles, both ends as fans, if asked from two middles behind all corners; outward."""
    here = np.arange(sides)
    after = (here + 1) % sides
    walls = []
    for ring in range(rings - 1):
        low, high = ring * sides, (ring + 1) * sides
        walls.append(np.stack([low + here, low + after, high + after], axis=1))
        walls.append(np.stack([low + here, high + after, high + here], axis=1))
    if has_middles:
        middle, top = np.full(sides, rings * sides), (rings - 1) * sides
        ends = [np.stack([middle, after, here], axis=1), np.stack([middle + 1, top + here, top + after], axis=1)]
        return np.concatenate([*walls, *ends]).astype(np.int32)
    fan = np.stack([np.zeros(sides - 2, np.int64), np.arange(1, sides - 1), np.arange(2, sides)], axis=1)
    return np.concatenate([*walls, fan[:, ::-1], fan + (rings - 1) * sides]).astype(np.int32)
