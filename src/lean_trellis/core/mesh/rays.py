"""Casting many rays at a mesh at once (Embree through embreex)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh


@dataclass(frozen=True, eq=False)
class Hits:
    """`distance` (n,) along each ray, infinite where nothing is hit; `face` (n,), -1 there."""

    distance: Floats
    face: Longs


class RayTree:
    """A search tree over a mesh's faces, built on first use and kept.

    Embree works in float32: distances are good to about 1e-6 of the mesh's size.
    """

    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh

    @cached_property
    def _scene(self) -> Any:
        from embreex.mesh_construction import TriangleMesh
        from embreex.rtcore_scene import EmbreeScene

        scene = EmbreeScene()
        # The middle is taken as origin, so that a part far from zero keeps its float32 accuracy.
        local = (self.mesh.vertices - self.mesh.middle).astype(np.float32)
        if len(self.mesh.faces):
            TriangleMesh(scene, local, self.mesh.faces)
        return scene

    def prepare(self) -> None:
        """Build the tree now rather than at the first ray."""
        if len(self.mesh.faces):
            self.first_hits(np.zeros((1, 3)), np.array([[0.0, 0.0, 1.0]]))

    @heavy
    def first_hits(self, origins: Floats, directions: Floats) -> Hits:
        """The nearest face in front of each ray. `origins` and unit `directions` are (n, 3)."""
        count = len(origins)
        if not count or not len(self.mesh.faces):
            return Hits(np.full(count, np.inf), np.full(count, -1, np.int64))
        local = (origins - self.mesh.middle).astype(np.float32)
        towards = np.broadcast_to(directions, local.shape).astype(np.float32)
        answer = self._scene.run(local, towards, output=True)
        face = np.asarray(answer["primID"], dtype=np.int64)
        distance = np.where(face >= 0, np.asarray(answer["tfar"], dtype=np.float64), np.inf)
        return Hits(distance, face)
