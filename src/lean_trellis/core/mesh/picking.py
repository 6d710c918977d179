"""Sets of faces that a person picks: by likeness, by what they touch, by an area drawn over the view."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.patch import joined_faces
from lean_trellis.core.mesh.topology import Topology

_ALIKE_WITHIN = 0.03
_TREMOR_MM = 0.05


@heavy
def grown(topology: Topology, faces: Longs) -> Longs:
    """The faces and all that share an edge with one of them."""
    inside = _mask(topology, faces)
    pairs = topology.pair_faces
    touching = pairs[inside[pairs].any(axis=1)]
    inside[touching.reshape(-1)] = True
    return np.flatnonzero(inside)


@heavy
def shrunk(topology: Topology, faces: Longs) -> Longs:
    """The faces without those that share an edge with one outside."""
    inside = _mask(topology, faces)
    pairs = topology.pair_faces
    rim = pairs[inside[pairs].sum(axis=1) == 1].reshape(-1)
    outermost = np.zeros(len(inside), bool)
    outermost[rim] = True
    return np.flatnonzero(inside & ~outermost)


def _mask(topology: Topology, faces: Longs) -> Bools:
    inside = np.zeros(len(topology.mesh.faces), bool)
    inside[faces] = True
    return inside


@heavy
def in_plane(mesh: Mesh, seed: int, *, within_deg: float = 0.5) -> Longs:
    """All faces in the plane of `seed`, joined to it or not."""
    normal = mesh.normals[seed]
    same = mesh.normals @ normal >= np.cos(np.radians(within_deg)) - 1e-12
    size = float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    away = np.abs((mesh.centroids - mesh.centroids[seed]) @ normal)
    return np.flatnonzero(same & (away <= max(1e-6 * size, 1e-4)))


@dataclass(frozen=True, eq=False)
class SmoothPatches:
    """A mesh in smooth patches: `of_face` (m,) each face's; per patch its area, spread (k, 3) and the faces' number.

    The spread are the roots of the eigenvalues of the corners' covariance, largest first: how far the patch reaches
    along its own three axes.
    """

    of_face: Longs
    areas: Floats
    spreads: Floats


@heavy
def smooth_patches(topology: Topology, *, step_deg: float = 30.0) -> SmoothPatches:
    """The mesh parted along edges that are bent by more than `step_deg`."""
    mesh = topology.mesh
    pairs = topology.pair_faces
    cosines = np.einsum("ij,ij->i", mesh.normals[pairs[:, 0]], mesh.normals[pairs[:, 1]])
    smooth = pairs[cosines >= np.cos(np.radians(step_deg)) - 1e-12]
    of_face = components_of(len(mesh.faces), smooth[:, 0], smooth[:, 1])
    count = int(of_face.max(initial=-1)) + 1
    areas: Floats = np.bincount(of_face, weights=mesh.areas, minlength=count).astype(np.float64)
    weight = np.maximum(mesh.areas, 1e-300)
    total = np.maximum(np.bincount(of_face, weights=weight, minlength=count), 1e-300)
    middles = _summed(of_face, mesh.centroids * weight[:, None], count) / total[:, None]
    offsets = mesh.corners - middles[of_face][:, None]
    spread = np.einsum("m,mci,mcj->mij", weight / 3, offsets, offsets).reshape(-1, 9)
    matrices = _summed(of_face, spread, count).reshape(-1, 3, 3) / total[:, None, None]
    spreads = np.sqrt(np.maximum(np.linalg.eigvalsh(matrices)[:, ::-1], 0))
    return SmoothPatches(of_face.astype(np.int64), areas, spreads)


def _summed(labels: Longs, values: Floats, count: int) -> Floats:
    return np.column_stack([np.bincount(labels, weights=column, minlength=count) for column in values.T])


@heavy
def alike(topology: Topology, seed: int) -> Longs:
    """The faces of every smooth patch of the same kind as that of `seed`: equal in area and reach to 3 %."""
    patches = smooth_patches(topology)
    mine = int(patches.of_face[seed])
    same_area = np.abs(patches.areas - patches.areas[mine]) <= _ALIKE_WITHIN * patches.areas[mine]
    difference = np.abs(patches.spreads - patches.spreads[mine])
    same_reach: Bools = (difference <= _ALIKE_WITHIN * patches.spreads[mine] + _TREMOR_MM).all(axis=1)
    return np.flatnonzero((same_area & same_reach)[patches.of_face])


@heavy
def within_reach(topology: Topology, seed: int, place: Floats, radius: float) -> Longs:
    """The faces under a round brush: those with their middle within `radius` mm of `place` (3,), joined to `seed`."""
    mesh = topology.mesh
    near = np.linalg.norm(mesh.centroids - place, axis=1) <= radius
    near[seed] = True
    pairs = topology.pair_faces
    return joined_faces(len(mesh.faces), pairs[near[pairs].all(axis=1)], seed)


@heavy
def under_area(shown: Floats, looks_here: Bools, area: Floats) -> Longs:
    """Of faces with their middles at (m, 2) on the picture, those that look here (m,) within the polygon (k, 2)."""
    if len(area) < 3:
        return np.zeros(0, np.int64)
    shape = shapely.Polygon(area).buffer(0)
    shapely.prepare(shape)
    candidates = np.flatnonzero(looks_here)
    return candidates[shapely.contains_xy(shape, shown[candidates, 0], shown[candidates, 1])]
