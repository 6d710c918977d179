"""The rim of regions: which of its edges end in air, at a wall, or merely fade past the angle."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bytes, Floats, Ints, Longs
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology

FREE, WALL, FADING = 0, 1, 2
SMOOTH_DEG = 25.0
"""Where two faces meet at less than this, the surface merely bends away: assumed, coarse meshes bend by less."""


@dataclass(frozen=True, eq=False)
class Rim:
    """Directed edges of the rim, the region on their right in plan.

    `starts`, `stops` (k, 3); `regions` (k,) as in `region_of_face`; `kinds` (k,) FREE, WALL or FADING.
    """

    starts: Floats
    stops: Floats
    regions: Ints
    kinds: Bytes

    def of_kind(self, kind: int) -> Rim:
        """Only the edges of one kind."""
        chosen = self.kinds == kind
        return Rim(self.starts[chosen], self.stops[chosen], self.regions[chosen], self.kinds[chosen])


def find_rim(topology: Topology, placed: Mesh, region_of_face: Ints, faces: Longs) -> Rim:
    """The rim of the regions that the given faces make up."""
    corners = (3 * faces[:, None] + np.arange(3)).reshape(-1)
    edges = topology.edge_of_corner[corners]
    corners, edges = corners[edges >= 0], edges[edges >= 0]
    inside = corners // 3
    paired = topology.face_count[edges] == 2
    first = topology.starts[edges]
    sums = (
        topology.corner_order[first] // 3
        + topology.corner_order[np.minimum(first + 1, len(topology.corner_order) - 1)] // 3
    )
    outside = np.where(paired, sums - inside, -1)
    other_region = np.where(paired, region_of_face[outside], -2)
    on_rim = other_region != region_of_face[inside]
    corners, inside, outside = corners[on_rim], inside[on_rim], outside[on_rim]
    begin = placed.faces.reshape(-1)[corners]
    end = placed.faces[inside, (corners % 3 + 1) % 3]
    kinds = _kinds(placed, inside, outside, begin, end)
    return Rim(placed.vertices[begin], placed.vertices[end], region_of_face[inside], kinds)


def _kinds(placed: Mesh, inside: Longs, outside: Longs, begin: Ints, end: Ints) -> Bytes:
    """An edge with no face beyond, or with several, counts as free."""
    kinds = np.full(len(inside), FREE, np.uint8)
    paired = np.flatnonzero(outside >= 0)
    inside, outside, begin, end = inside[paired], outside[paired], begin[paired], end[paired]
    n_in, n_out = placed.normals[inside], placed.normals[outside]
    third = placed.faces[outside].sum(axis=1) - begin - end
    rise = np.einsum("ij,ij->i", placed.vertices[third] - placed.vertices[begin], n_in)
    smooth = np.einsum("ij,ij->i", n_in, n_out) > np.cos(np.radians(SMOOTH_DEG))
    kinds[paired] = np.where(smooth, FADING, np.where(rise > 0, WALL, FREE))
    return kinds
