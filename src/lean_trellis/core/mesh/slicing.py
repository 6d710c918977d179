"""What a plane across an axis meets of a mesh: rings, filled where the mesh is closed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from manifold3d import CrossSection, FillRule, triangulate

from lean_trellis.core.arrays import Floats
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.slices import sliced
from lean_trellis.core.mesh.topology import build_topology


@dataclass(frozen=True, eq=False)
class Slice:
    """Where a plane cuts a mesh: `lines` (n, 2, 3) along its surface, and `face`, the flat cut through its solid."""

    lines: Floats
    face: Mesh

    @property
    def area_mm2(self) -> float:
        """The area of the cut; where solids lie in one another it counts once."""
        return float(self.face.area)


@heavy
def slice_of(mesh: Mesh, axis: int, place: float) -> Slice:
    """The cut at `place` mm across x, y or z (0, 1, 2).

    Vertices on the plane count as above it, so that every closed surface gives closed rings. Where a surface is open
    its lines are there, and nothing is filled. Rings are filled by the nonzero rule.
    """
    along = [(axis + 1) % 3, (axis + 2) % 3, axis]
    above = mesh.vertices[:, axis] >= place
    is_cut = (above[mesh.faces].sum(axis=1) % 3) != 0
    cuts = sliced(build_topology(Mesh(mesh.vertices[:, along], mesh.faces[is_cut])), np.array([place]))
    flat = cuts.segments(0)
    lines = np.full((len(flat), 2, 3), place)
    lines[..., along[:2]] = flat
    return Slice(lines, _filled(cuts.rings(0), axis, place))


def _filled(rings: list[Floats], axis: int, place: float) -> Mesh:
    """The area within rings as triangles that look along the axis."""
    empty = Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))
    if not rings:
        return empty
    polygons = CrossSection(rings, FillRule.NonZero).to_polygons()
    if not polygons:
        return empty
    flat = np.concatenate(polygons)
    faces = np.asarray(triangulate(polygons), np.int32).reshape(-1, 3)
    vertices = np.full((len(flat), 3), place)
    vertices[:, [(axis + 1) % 3, (axis + 2) % 3]] = flat
    return Mesh(vertices, faces)
