"""Measures on a part: the wall at a place, the circle through three places, the cylinder that fits a bore."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.directions import any_across
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.patch import smooth_patch
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import Topology

_BORE_STEP_DEG = 46.0
_LEAST_SHARE = 0.3
_FITS_WITHIN = 0.03


@dataclass(frozen=True, eq=False)
class Circle:
    """A circle in space: (3,) middle and unit normal, radius in mm."""

    middle: Floats
    normal: Floats
    radius: float


@heavy
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


@dataclass(frozen=True, eq=False)
class Cylinder:
    """A cylinder that fits faces: (3,) a place on its axis, the unit axis, radius and greatest misfit in mm.

    `is_hollow` for a bore, whose wall looks at the axis; not for a pin.
    """

    middle: Floats
    axis: Floats
    radius: float
    worst_mm: float
    is_hollow: bool


@heavy
def bore_at(topology: Topology, face: int) -> Cylinder | None:
    """The cylinder of which a selected face is part of the wall; None where what is selected is not round.

    The wall is what is reached from the face over blunt edges and stands square to the axis; fillets and chamfers at
    the mouth are left out by fitting twice. Where most of what is reached does not stand square to it, as on a ball,
    there is no cylinder.
    """
    faces = smooth_patch(topology, face, step_deg=_BORE_STEP_DEG)
    normals, areas = topology.mesh.normals, topology.mesh.areas
    whole = areas[faces].sum()
    for _ in range(2):
        axis = _axis_of(topology.mesh, faces)
        if axis is None:
            return None
        faces = faces[np.abs(normals[faces] @ axis) < 0.1]
        if face not in faces or areas[faces].sum() < _LEAST_SHARE * whole:
            return None
    return fit_cylinder(topology.mesh, faces)


def _axis_of(mesh: Mesh, faces: Longs) -> Floats | None:
    """The direction to which the faces' normals are most nearly square; None for a plane, which has many."""
    normals, areas = mesh.normals[faces], mesh.areas[faces]
    spread, axes = np.linalg.eigh((normals * areas[:, None]).T @ normals / max(float(areas.sum()), 1e-300))
    if spread[1] < 1e-4:
        return None
    axis: Floats = axes[:, 0]
    return axis


def fit_cylinder(mesh: Mesh, faces: Longs) -> Cylinder | None:
    """The cylinder through the corners of `faces` by least squares; None where they are a plane or lie off by 3 %.

    Corners of a tessellated wall lie on the true surface, so the radius is the true one and not that of the facets. The
    circle across the axis is fitted linearly (Kasa 1976): x² + y² = 2ax + 2by + c.
    """
    axis = _axis_of(mesh, faces)
    if axis is None or len(faces) < 4:
        return None
    across = any_across(axis)
    frame = np.column_stack([across, np.cross(axis, across)])
    corners = mesh.vertices[np.unique(mesh.faces[faces])]
    start = corners.mean(axis=0)
    flat = (corners - start) @ frame
    system = np.column_stack([2 * flat, np.ones(len(flat))])
    (x, y, c), _, rank, _ = np.linalg.lstsq(system, (flat**2).sum(axis=1), rcond=None)
    if rank < 3:
        return None
    radius = float(np.sqrt(c + x * x + y * y))
    worst = float(np.abs(np.hypot(flat[:, 0] - x, flat[:, 1] - y) - radius).max())
    if worst > _FITS_WITHIN * radius:
        return None
    middle = start + frame @ np.array([x, y])
    outwards = mesh.centroids[faces] - middle
    looks_out = float((np.einsum("ij,ij->i", outwards, mesh.normals[faces]) * mesh.areas[faces]).sum())
    return Cylinder(middle, axis, radius, worst, is_hollow=looks_out < 0)
