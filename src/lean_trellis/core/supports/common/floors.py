"""A region as floors: sheets of faces that do not lie above one another, each with its outline in plan."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import shapely
from shapely import Polygon

from lean_trellis.core.arrays import Bools, Floats, Longs, distinct_pairs
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.overhang.rim import FADING

_MOST_FLOORS = 60
_SAME_AREA = 1e-6
_BEGIN_BELOW_MM = 1.0
_RIM_SPARE_MM = 0.02
"""Walls stay this far inside of every rim, so that the surface is surely above them."""

Shape = Any
"""A shapely geometry; shapely has no types of its own."""


def moved_out(shape: Shape, by: float, **how: Any) -> Shape:
    """A shape grown, or below 0 shrunk, all round; shapely's own words say how corners and ends become."""
    with np.errstate(all="ignore"):  # mitres of nearly straight corners are worked out by dividing by nearly nothing
        return shapely.buffer(shape, by, **how)


@dataclass(frozen=True, eq=False)
class Floor:
    """Faces of a region that can be seen from below, `outline` their shape in plan, holes kept.

    `hard` (k, 2, 2) are the edges of the region's rim in plan beyond which there is air or a wall.
    """

    region: int
    mesh: Mesh
    faces: Longs
    outline: Shape
    hard: Floats

    @cached_property
    def _tree(self) -> RayTree:
        return RayTree(self.mesh.with_faces(self.faces))

    def surface_at(self, places: Floats) -> tuple[Floats, Longs]:
        """The height (n,) of the floor above (n, 2) places and the face (n,) there, -1 where there is none.

        Exact on the face that a ray from below meets.
        """
        low = float(self.mesh.vertices[self.mesh.faces[self.faces], 2].min()) - _BEGIN_BELOW_MM
        starts = np.column_stack([places, np.full(len(places), low)])
        hits = self._tree.first_hits(starts, np.array([[0.0, 0.0, 1.0]])).face
        struck = hits >= 0
        faces = np.where(struck, self.faces[np.maximum(hits, 0)], -1)
        return np.where(struck, plane_heights(self.mesh, faces, places), np.nan), faces

    def inside(self, inset: float) -> Shape:
        """The outline drawn in by an inset from hard edges; nearly to the rim where the surface merely bends away."""
        shape = moved_out(self.outline, -_RIM_SPARE_MM, join_style="mitre")
        if inset <= _RIM_SPARE_MM or not len(self.hard):
            return shape
        lines = shapely.multilinestrings(self.hard)
        return shape.difference(moved_out(lines, inset, quad_segs=8))

    @cached_property
    def edges(self) -> Floats:
        """(e, 2, 2): edges between faces in plan: between them the surface is plane."""
        corners = self.mesh.faces[self.faces].astype(np.int64)
        pairs = np.sort(np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]]), axis=1)
        pairs = pairs[distinct_pairs(pairs[:, 0], pairs[:, 1])]
        result: Floats = self.mesh.vertices[pairs][:, :, :2]
        return result


def plane_heights(mesh: Mesh, faces: Longs, places: Floats) -> Floats:
    """(n,): height of the plane of each face (n,) over (n, 2) places; faces of -1 give nonsense."""
    normals = mesh.normals[faces]
    first = mesh.vertices[mesh.faces[faces, 0]]
    away = places - first[:, :2]
    with np.errstate(divide="ignore", invalid="ignore"):
        result: Floats = first[:, 2] - (away * normals[:, :2]).sum(axis=1) / normals[:, 2]
    return result


def floors_of(overhangs: Overhangs, region: int, protected: np.ndarray | None = None) -> list[Floor]:
    """The floors of a face region, protected faces left out; none for low edges and points."""
    mesh = overhangs.mesh
    faces = np.flatnonzero(overhangs.region_of_face == region)
    if protected is not None:
        faces = faces[protected[faces] == 0]
    faces = faces[mesh.normals[faces, 2] < -1e-6]
    if not len(faces):
        return []
    rim = overhangs.rim
    edges = np.flatnonzero((rim.regions == region) & (rim.kinds != FADING))
    hard = np.stack([rim.starts[edges], rim.stops[edges]], axis=1)
    seen_from_below = -float((mesh.areas[faces] * mesh.normals[faces, 2]).sum())
    if protected is None or not protected.any():
        outline = _outline_of_loops(overhangs, region)
        if outline is not None and abs(outline.area - seen_from_below) <= _SAME_AREA * seen_from_below:
            return [Floor(region, mesh, faces, outline, hard[:, :, :2])]
    return [
        Floor(region, mesh, some, _outline_of_faces(mesh, some), _near(hard, mesh, some))
        for some in _apart(mesh, faces)
    ]


def _outline_of_loops(overhangs: Overhangs, region: int) -> Shape | None:
    """Outer loops less the holes; None where a loop is no ring."""
    outlines = overhangs.outlines
    first, last = np.searchsorted(outlines.loop_regions, [region, region + 1])
    outer: list[Shape] = []
    holes: list[Shape] = []
    for number in range(first, last):
        ring = outlines.places[outlines.loop_starts[number] : outlines.loop_starts[number + 1], :2]
        if len(ring) < 3:
            continue
        shape = Polygon(ring)
        if not shape.is_valid:
            return None
        (outer if outlines.enclosed_mm2[number] > 0 else holes).append(shape)
    if not outer:
        return None
    whole = shapely.union_all(outer)
    return whole.difference(shapely.union_all(holes)) if holes else whole


def _outline_of_faces(mesh: Mesh, faces: Longs) -> Shape:
    shapes = shapely.polygons(mesh.vertices[mesh.faces[faces]][:, :, :2])
    return shapely.union_all(shapes[shapely.area(shapes) > 0])


def _apart(mesh: Mesh, faces: Longs) -> list[Longs]:
    """Faces peeled off from below: what is hidden by others of the region belongs to a later floor."""
    floors: list[Longs] = []
    left = faces
    while len(left) and len(floors) < _MOST_FLOORS:
        middles = mesh.centroids_of(left)
        starts = middles * [1, 1, 0] + [0, 0, float(middles[:, 2].min()) - _BEGIN_BELOW_MM]
        hits = RayTree(mesh.with_faces(left)).first_hits(starts, np.array([[0.0, 0.0, 1.0]]))
        seen: Bools = hits.face == np.arange(len(left))
        if not seen.any():
            break
        floors.append(left[seen])
        left = left[~seen]
    return floors


def _near(hard: Floats, mesh: Mesh, faces: Longs) -> Floats:
    """Of edges in space (k, 2, 3) those at the vertices of some faces, in plan."""
    corners = {tuple(place) for place in mesh.vertices[np.unique(mesh.faces[faces])].tolist()}
    kept = [edge for edge in hard.tolist() if tuple(edge[0]) in corners and tuple(edge[1]) in corners]
    result: Floats = np.array(kept).reshape(-1, 2, 3)[:, :, :2]
    return result
