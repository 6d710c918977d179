"""The rim of regions: which of its edges end in air, at a wall, or merely fade past the angle."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Bytes, Floats, Ints, Longs
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology

FREE, WALL, FADING = 0, 1, 2
SMOOTH_DEG = 25.0
"""Where two faces meet at less than this, the surface merely bends away: assumed, coarse meshes bend by less."""


@dataclass(frozen=True, eq=False)
class Rim:
    """Directed edges of the rim, the region on their right in plan.

    `starts`, `stops` (k, 3) are the places of the vertices `begins`, `ends` (k,); `regions` (k,) as in
    `region_of_face`; `kinds` (k,) FREE, WALL or FADING; `is_supported` (k,) where the surface goes on downwards: there
    the part itself carries what hangs at the edge.
    """

    starts: Floats
    stops: Floats
    regions: Ints
    kinds: Bytes
    is_supported: Bools
    begins: Longs
    ends: Longs

    def of_kind(self, kind: int) -> Rim:
        """Only the edges of one kind."""
        return self.chosen(self.kinds == kind)

    def chosen(self, which: Bools | Longs) -> Rim:
        """Only some of the edges."""
        return Rim(
            self.starts[which], self.stops[which], self.regions[which], self.kinds[which], self.is_supported[which],
            self.begins[which], self.ends[which],
        )  # fmt: skip


def find_rim(
    topology: Topology,
    placed: Mesh,
    region_of_face: Ints,
    faces: Longs,
    layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0),
) -> Rim:
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
    kinds, goes_on = _kinds(placed, inside, outside, begin, end, np.array(layer_normal))
    return Rim(
        placed.vertices[begin], placed.vertices[end], region_of_face[inside], kinds, goes_on,
        begin.astype(np.int64), end.astype(np.int64),
    )  # fmt: skip


def _kinds(placed: Mesh, inside: Longs, outside: Longs, begin: Ints, end: Ints, up: Floats) -> tuple[Bytes, Bools]:
    """An edge with no face beyond, or with several, counts as free."""
    kinds, goes_on = np.full(len(inside), FREE, np.uint8), np.zeros(len(inside), bool)
    paired = np.flatnonzero(outside >= 0)
    inside, outside, begin, end = inside[paired], outside[paired], begin[paired], end[paired]
    n_in, n_out = placed.normals[inside], placed.normals[outside]
    third = placed.faces[outside].sum(axis=1) - begin - end
    rise = np.einsum("ij,ij->i", placed.vertices[third] - placed.vertices[begin], n_in)
    smooth = np.einsum("ij,ij->i", n_in, n_out) > np.cos(np.radians(SMOOTH_DEG))
    kinds[paired] = np.where(smooth, FADING, np.where(rise > 0, WALL, FREE))
    edge = placed.vertices[end] - placed.vertices[begin]
    across = placed.vertices[third] - placed.vertices[begin]
    length = np.maximum(np.einsum("ij,ij->i", edge, edge), 1e-300)
    across -= (np.einsum("ij,ij->i", across, edge) / length)[:, None] * edge
    goes_on[paired] = across @ up < -1e-9
    return kinds, goes_on
