"""What of parts and supports lies on the plate."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, Rows
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.sampling import places_on
from lean_trellis.core.mesh.shells import shells_of

ON_PLATE_MM = 0.02
_PATCH_MM, _MOST_PATCHES, _MOST_ACROSS = 1.5, 4000, 128


@dataclass(frozen=True, eq=False)
class Patches(Rows):
    """What lies on the plate: `middles` (k, 2) and `areas` (k,) of it, patch by patch, and all `corners` (c, 2).

    `pieces` (k,) numbers what hangs together there, a foot or a wall.
    """

    middles: Floats
    areas: Floats
    corners: Floats
    pieces: Longs


def patches_of_faces(mesh: Mesh, faces: Longs) -> Patches:
    """Some faces of a mesh as patches; large ones count as several."""
    corners = mesh.vertices[np.unique(mesh.faces[faces])][:, :2]
    if not len(faces):
        return Patches(np.zeros((0, 2)), np.zeros(0), corners, np.zeros(0, np.int64))
    step = max(_PATCH_MM, float(np.sqrt(mesh.areas[faces].sum() / _MOST_PATCHES)))
    places, on = places_on(mesh, faces, step, most_across=_MOST_ACROSS)
    shares = np.bincount(on, minlength=len(mesh.faces))[on]
    pieces = shells_of(Mesh(mesh.vertices, mesh.faces[faces]))[mesh.faces[on, 0]]
    return Patches(places[:, :2], mesh.areas[on] / shares, corners, np.unique(pieces, return_inverse=True)[1])


def patches_of_solid(mesh: Mesh) -> Patches:
    """The faces of a solid that lie on the plate."""
    if not len(mesh.faces):
        return patches_of_faces(mesh, np.zeros(0, np.int64))
    low = Mesh(mesh.vertices, mesh.faces[mesh.face_highs[:, 2] <= ON_PLATE_MM])
    return patches_of_faces(low, np.flatnonzero(low.normals[:, 2] < -0.5))
