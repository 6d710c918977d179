"""What a plane across an axis meets of a mesh: rings, filled where the mesh is closed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from manifold3d import CrossSection, FillRule, triangulate

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh


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
    plane = [(axis + 1) % 3, (axis + 2) % 3]
    above = mesh.vertices[:, axis] >= place
    cut = np.flatnonzero((above[mesh.faces].sum(axis=1) % 3) != 0)
    corners = mesh.faces[cut].astype(np.int64)
    ups = above[corners]
    # The corner that is alone on its side comes first: both cut edges begin there.
    alone = np.where(ups.sum(axis=1) == 1, ups.argmax(axis=1), (~ups).argmax(axis=1))
    turned = (alone[:, None] + np.arange(3)) % 3
    corners = np.take_along_axis(corners, turned, axis=1)
    edges = np.stack([corners[:, [0, 1]], corners[:, [0, 2]]], axis=1)
    # Seen against the axis the solid lies to the left: from the edge that goes down to the one that comes up again.
    swapped = ~np.take_along_axis(ups, alone[:, None], axis=1)[:, 0]
    edges[swapped] = edges[swapped][:, ::-1]
    ends, which = np.unique(np.sort(edges.reshape(-1, 2), axis=1), axis=0, return_inverse=True)
    low, high = mesh.vertices[ends[:, 0]], mesh.vertices[ends[:, 1]]
    rise = high[:, axis] - low[:, axis]
    share = np.clip((place - low[:, axis]) / np.where(rise == 0, 1.0, rise), 0.0, 1.0)[:, None]
    places = low + share * (high - low)
    places[:, axis] = place
    links = which.reshape(-1, 2)
    rings = [places[ring][:, plane] for ring in _rings(links, len(ends))]
    return Slice(places[links], _filled(rings, axis, place))


def _rings(links: Longs, count: int) -> list[Longs]:
    """Closed ways along directed links (n, 2) between `count` places; what does not close is left out."""
    onward: list[list[int]] = [[] for _ in range(count)]
    for start, stop in links.tolist():
        onward[start].append(stop)
    rings = []
    for start in range(count):
        while onward[start]:
            ring, place = [], start
            while onward[place]:
                ring.append(place)
                place = onward[place].pop()
            if place == start and len(ring) > 2:
                rings.append(np.array(ring, np.int64))
    return rings


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
