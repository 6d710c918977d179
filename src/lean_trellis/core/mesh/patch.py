"""Patches of a mesh: faces joined to a selected one, and the plane that fits them best."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology


@dataclass(frozen=True, eq=False)
class Plane:
    """A plane through `middle` (3,) with the unit `normal` (3,), and how far (mm) what it fits lies off it at most."""

    middle: Floats
    normal: Floats
    worst_mm: float


@heavy
def smooth_patch(topology: Topology, seed: int, *, step_deg: float = 12.0) -> Longs:
    """Faces that are reached from `seed` over edges bent by no more than `step_deg`, in order of their numbers."""
    mesh = topology.mesh
    pairs = topology.pair_faces
    cosines = np.einsum("ij,ij->i", mesh.normals[pairs[:, 0]], mesh.normals[pairs[:, 1]])
    flat = pairs[cosines >= np.cos(np.radians(step_deg)) - 1e-12]
    return joined_faces(len(mesh.faces), flat, seed)


@heavy
def coplanar_patch(topology: Topology, seed: int, *, within_deg: float = 0.5) -> Longs:
    """Faces joined to `seed` whose normals differ from its own by no more than `within_deg`."""
    mesh = topology.mesh
    same = mesh.normals @ mesh.normals[seed] >= np.cos(np.radians(within_deg)) - 1e-12
    pairs = topology.pair_faces
    return joined_faces(len(mesh.faces), pairs[same[pairs].all(axis=1)], seed)


def joined_faces(count: int, pairs: Longs, seed: int) -> Longs:
    """The faces of `count` that are joined to `seed` over `pairs` (p, 2) of faces."""
    label = components_of(count, pairs[:, 0], pairs[:, 1])
    return np.flatnonzero(label == label[seed])


def best_plane(mesh: Mesh, faces: Longs) -> Plane:
    """The plane of least squared distance through the corners of `faces`, weighted by area; normal as the faces'."""
    corners = mesh.vertices[mesh.faces[faces]].reshape(-1, 3)
    weights = np.repeat(np.maximum(mesh.areas[faces], 1e-12), 3)
    middle = np.average(corners, axis=0, weights=weights)
    offsets = corners - middle
    _, axes = np.linalg.eigh((offsets * weights[:, None]).T @ offsets)
    normal = axes[:, 0]
    outward = mesh.cross_products[faces].sum(axis=0)
    if normal @ outward < 0:
        normal = -normal
    return Plane(middle, normal, float(np.abs(offsets @ normal).max()))


def plane_through(points: Floats) -> Plane | None:
    """The plane through three points (3, 3); None where they lie in a line."""
    normal = np.cross(points[1] - points[0], points[2] - points[0])
    length = float(np.linalg.norm(normal))
    scale = float(np.linalg.norm(points[1] - points[0]) * np.linalg.norm(points[2] - points[0]))
    if length <= 1e-6 * max(scale, 1e-12):
        return None
    return Plane(points.mean(axis=0), normal / length, 0.0)
