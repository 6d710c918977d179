"""Points of a plane grid on the faces above them, exactly, floors above one another included."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from shapely import points

from lean_trellis.core.arrays import Floats, Longs, Rows, counted_out
from lean_trellis.core.mesh.mesh import Mesh


@dataclass(frozen=True, eq=False)
class SurfacePoints(Rows):
    """`places` (n, 3) on the mesh and the `faces` (n,) they lie on."""

    places: Floats
    faces: Longs

    def __len__(self) -> int:
        return len(self.faces)

    @cached_property
    def in_plan(self) -> np.ndarray:
        """(n,): the places as points in plan, which shapely needs more than once."""
        result: np.ndarray = points(self.places[:, :2])
        return result


def grid_basis(spacing: float, pattern: str) -> Floats:
    """(2, 2): columns are the steps of the grid in plan."""
    if pattern == "square":
        return spacing * np.eye(2)
    return spacing * np.array([[1.0, 0.5], [0.0, 3**0.5 / 2]])


def grid_points(mesh: Mesh, faces: Longs, basis: Floats, origin: Floats) -> SurfacePoints:
    """Every grid point `origin + basis · (i, j)` on every given face above it.

    A point on an edge between two faces comes once. Faces seen edge-on hold no grid points.
    """
    corners = mesh.vertices[mesh.faces[faces]]
    in_grid = (corners[:, :, :2] - origin) @ np.linalg.inv(basis).T
    a, b, c = in_grid[:, 0], in_grid[:, 1], in_grid[:, 2]
    low = np.ceil(np.minimum(np.minimum(a, b), c) - 1e-9).astype(np.int64)
    high = np.floor(np.maximum(np.maximum(a, b), c) + 1e-9).astype(np.int64)
    counts = np.maximum(high - low + 1, 0)
    per_face = counts[:, 0] * counts[:, 1]
    owner, within = counted_out(per_face)
    rows = np.maximum(counts[owner, 1], 1)
    ij = low[owner] + np.stack([within // rows, within % rows], axis=1)
    weights, inside = _barycentric(in_grid[owner], ij.astype(np.float64))
    owner, ij, weights = owner[inside], ij[inside], weights[inside]
    places = np.einsum("ki,kij->kj", weights, corners[owner])
    first = _first_of_each(ij, np.round(places[:, 2] / 1e-4).astype(np.int64))
    return SurfacePoints(places[first], faces[owner[first]])


def _first_of_each(ij: Longs, heights: Longs) -> Longs:
    """Places in order, each grid point at each height once."""
    order = np.lexsort((heights, ij[:, 1], ij[:, 0]))
    keys = np.column_stack([ij, heights])[order]
    fresh = np.append(True, (keys[1:] != keys[:-1]).any(axis=1))[: len(keys)]
    result: Longs = np.sort(order[fresh])
    return result


def _barycentric(triangles: Floats, points: Floats) -> tuple[Floats, np.ndarray]:
    a, b, c = triangles[:, 0], triangles[:, 1], triangles[:, 2]
    u, v, w = b - a, c - a, points - a
    area = u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]
    flat = np.abs(area) < 1e-14
    area = np.where(flat, 1, area)
    second = (w[:, 0] * v[:, 1] - w[:, 1] * v[:, 0]) / area
    third = (u[:, 0] * w[:, 1] - u[:, 1] * w[:, 0]) / area
    weights = np.stack([1 - second - third, second, third], axis=1)
    return weights, (weights >= -1e-9).all(axis=1) & ~flat
