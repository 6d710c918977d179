"""Regions below the critical angle: faces, low edges, low points (method: docs/methods.md)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from shapely import area, polygons, union_all

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs, frozen
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.overhang.low_places import LowPlaces, find_low_places
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.progress import UNWATCHED, Watch

ON_PLATE_MM = 0.02
"""Faces whose corners are all this near the plate lie on it. Half a usual thin layer."""


@dataclass(frozen=True, eq=False)
class Overhangs:
    """What was found on one mesh as it stands.

    `surface_angle` (m,) in degrees: 0 a flat ceiling, 90 a wall, above it up-facing. `critical` (m,) marks
    faces that need support, `region_of_face` (m,) their region's place in `regions` or -1.
    """

    mesh: Mesh
    critical_angle: float
    watch_angle: float
    surface_angle: Floats
    critical: Bools
    on_plate: Bools
    region_of_face: Ints
    regions: tuple[Region, ...]

    @cached_property
    def doubtful(self) -> Bools:
        """(m,): faces between critical and watch angle, not lying on the plate."""
        result: Bools = (self.surface_angle < self.watch_angle) & ~self.critical & ~self.on_plate
        return frozen(result)

    @cached_property
    def critical_area_mm2(self) -> float:
        """Area of all critical faces."""
        return float(self.mesh.areas[self.critical].sum())

    @cached_property
    def projected_area_mm2(self) -> float:
        """Sum over critical faces of area times the cosine to the layer normal."""
        cosines = np.cos(np.radians(self.surface_angle[self.critical]))
        return float((self.mesh.areas[self.critical] * cosines).sum())

    def shadow_area_mm2(self) -> float:
        """Area of the union of the critical faces seen from below; places above one another count once."""
        corners = self.mesh.corners[self.critical][:, :, :2]
        shapes = polygons(corners)
        return float(area(union_all(shapes[area(shapes) > 0])))


def surface_angles(mesh: Mesh, layer_normal: Floats) -> Floats:
    """(m,) degrees: arccos(-n·b) for each face; 180 for faces without area."""
    cosines = -(mesh.normals @ layer_normal)
    cosines[mesh.areas == 0] = -1
    return np.degrees(np.arccos(np.clip(cosines, -1, 1)))


def detect(
    topology: Topology,
    placed: Mesh,
    *,
    critical_angle: float,
    watch_angle: float | None = None,
    layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0),
    watch: Watch = UNWATCHED,
) -> Overhangs:
    """Find all regions of a mesh as it stands.

    `topology` is that of the same mesh in any pose: only what touches what is read from it. A face is
    critical when n·b < -cos(critical angle) and it does not lie on the plate.
    """
    normal = np.array(layer_normal)
    watch.at(0.1, "measuring surface angles")
    cosines = placed.normals @ normal
    heights = placed.vertices[:, 2]
    near = heights <= ON_PLATE_MM
    on_plate: Bools = np.logical_and.reduce(near[placed.faces], axis=1)
    critical = (cosines < -np.cos(np.radians(critical_angle)) - 1e-12) & ~on_plate
    angle = surface_angles(placed, normal)
    watch.at(0.4, "connecting regions")
    faces, labels = _connected(topology, critical)
    watch.at(0.7, "looking for low edges and points")
    low = find_low_places(topology, placed, normal, critical=critical, resting=near)
    regions = _face_regions(placed, faces, labels, angle, cosines)
    regions += _low_regions(placed, low, len(regions))
    of_face = np.full(len(placed.faces), -1, np.int32)
    of_face[faces] = labels
    return Overhangs(
        placed,
        critical_angle,
        critical_angle if watch_angle is None else watch_angle,
        frozen(angle),
        frozen(critical),
        frozen(on_plate),
        frozen(of_face),
        tuple(regions),
    )


def _connected(topology: Topology, chosen: Bools) -> tuple[Longs, Ints]:
    """The chosen faces sorted by region, and each one's region, numbered in the order of their first face."""
    faces = np.flatnonzero(chosen)
    place = np.full(len(chosen), -1, np.int64)
    place[faces] = np.arange(len(faces))
    pairs = topology.pair_faces
    pairs = pairs[chosen[pairs].all(axis=1)]
    a, b = place[pairs[:, 0]], place[pairs[:, 1]]
    graph = coo_matrix((np.ones(len(a), bool), (a, b)), shape=(len(faces),) * 2)
    labels = connected_components(graph, directed=False)[1] if len(faces) else np.zeros(0, np.int32)
    order = np.argsort(labels, kind="stable")
    return faces[order], labels[order].astype(np.int32)


def _face_regions(mesh: Mesh, faces: Longs, labels: Ints, angle: Floats, cosines: Floats) -> list[Region]:
    if not len(faces):
        return []
    starts = np.flatnonzero(np.concatenate([[True], labels[1:] != labels[:-1]]))
    stops = np.append(starts[1:], len(faces))
    areas = mesh.areas[faces]
    area_sums = np.add.reduceat(areas, starts)
    projected = np.add.reduceat(areas * -cosines[faces], starts)
    middles = mesh.centroids_of(faces)
    centroids = np.add.reduceat(middles * areas[:, None], starts, axis=0) / area_sums[:, None]
    lowest = np.minimum.reduceat(mesh.face_lows[faces, 2], starts)
    highest = np.maximum.reduceat(mesh.face_highs[faces, 2], starts)
    worst = np.minimum.reduceat(angle[faces], starts)
    away = np.linalg.norm(middles - centroids[labels], axis=1)
    nearest = np.lexsort((away, labels))[starts]
    anchors = middles[nearest]
    faces = frozen(faces)
    nothing = frozen(np.zeros(0, np.int64))
    return [
        Region(
            id=number,
            kind="face",
            faces=faces[start:stop],
            vertices=nothing,
            area_mm2=float(area_sums[number]),
            projected_area_mm2=float(projected[number]),
            min_angle_deg=float(worst[number]),
            lowest_mm=float(lowest[number]),
            highest_mm=float(highest[number]),
            centroid_mm=tuple(centroids[number].tolist()),
            anchor_mm=tuple(anchors[number].tolist()),
        )
        for number, (start, stop) in enumerate(zip(starts.tolist(), stops.tolist(), strict=True))
    ]


def _low_regions(mesh: Mesh, low: LowPlaces, first_id: int) -> list[Region]:
    """Low edges and points as regions without area."""
    regions: list[Region] = []
    for kind, groups in (("edge", low.edges), ("point", low.points)):
        for vertices in groups:
            places = mesh.vertices[vertices]
            middle = places[np.argmin(np.linalg.norm(places - places.mean(axis=0), axis=1))]
            centre = (places.min(axis=0) + places.max(axis=0)) / 2 if kind == "edge" else middle
            regions.append(
                Region(
                    id=first_id + len(regions),
                    kind="edge" if kind == "edge" else "point",
                    faces=frozen(np.zeros(0, np.int64)),
                    vertices=frozen(vertices),
                    area_mm2=0.0,
                    projected_area_mm2=0.0,
                    min_angle_deg=0.0,
                    lowest_mm=float(places[:, 2].min()),
                    highest_mm=float(places[:, 2].max()),
                    centroid_mm=tuple(centre.tolist()),
                    anchor_mm=tuple(middle.tolist()),
                )
            )
    return regions
