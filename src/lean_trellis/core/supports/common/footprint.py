"""What of parts and supports lies on the plate."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, Rows
from lean_trellis.core.mesh.mesh import Mesh

ON_PLATE_MM = 0.02


@dataclass(frozen=True, eq=False)
class Patches(Rows):
    """What lies on the plate: `middles` (k, 2) and `areas` (k,) of its pieces, and all their `corners` (c, 2)."""

    middles: Floats
    areas: Floats
    corners: Floats


def patches_of_faces(mesh: Mesh, faces: Longs) -> Patches:
    """Some faces of a mesh as patches."""
    corners = mesh.vertices[np.unique(mesh.faces[faces])][:, :2]
    return Patches(mesh.centroids_of(faces)[:, :2], mesh.areas[faces], corners)


def patches_of_solid(mesh: Mesh) -> Patches:
    """The faces of a solid that lie on the plate."""
    if not len(mesh.faces):
        return patches_of_faces(mesh, np.zeros(0, np.int64))
    return patches_of_faces(mesh, np.flatnonzero((mesh.face_highs[:, 2] <= ON_PLATE_MM) & (mesh.normals[:, 2] < -0.5)))
