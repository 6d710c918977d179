"""Measures on a part: the wall at a place, the circle through three places."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import RayTree


@dataclass(frozen=True, eq=False)
class Circle:
    """A circle in space: (3,) middle and unit normal, radius in mm."""

    middle: Floats
    normal: Floats
    radius: float


def wall_at(mesh: Mesh, tree: RayTree, face: int, place: Floats) -> float:
    """Thickness of the solid behind a place on a face, straight inwards, mm; infinite where nothing is behind it."""
    inwards = -mesh.normals[face]
    nudge = 1e-4 * float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    hit = tree.first_hits((place + nudge * inwards)[None], inwards[None])
    return float(hit.distance[0]) + nudge


def circle_through(points: Floats) -> Circle | None:
    """The circle through three points (3, 3); None where they lie in a line."""
    a, b, c = points
    u, v = b - a, c - a
    normal = np.cross(u, v)
    squared = float(normal @ normal)
    if squared <= 1e-12 * float(u @ u) * float(v @ v):
        return None
    out = (float(u @ u) * np.cross(v, normal) + float(v @ v) * np.cross(normal, u)) / (2 * squared)
    return Circle(a + out, normal / np.sqrt(squared), float(np.linalg.norm(out)))
