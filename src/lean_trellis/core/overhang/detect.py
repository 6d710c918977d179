"""Regions below the critical angle: faces, low edges, low points (method: docs/methods.md)."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from shapely import area, polygons, union_all

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs, frozen
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.overhang.bridging import SelfBridging, reasons_to_leave_out
from lean_trellis.core.overhang.low_places import LowPlaces, find_low_places
from lean_trellis.core.overhang.outline import Outlines, rim_lengths, trace_outlines
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.overhang.rim import Rim, find_rim
from lean_trellis.core.progress import UNWATCHED, Watch

_WALL_DEG = 90.0
_TAKEN_BACK_MM = 2.0
ON_PLATE_MM = 0.02
"""Faces whose corners are all this near the plate lie on it. Half a usual thin layer."""


@dataclass(frozen=True, eq=False)
class Overhangs:
    """What was found on one mesh in its pose.

    `surface_angle` (m,) in degrees: 0 a flat ceiling, 90 a wall, above it up-facing. `critical` (m,) marks all faces
    below the critical angle, whatever was marked by hand or supports itself; `region_of_face` (m,) a face's region as
    its place in `regions`, or -1. `rim` is that of all face regions.
    """

    mesh: Mesh
    critical_angle: float
    watch_angle: float
    surface_angle: Floats
    critical: Bools
    on_plate: Bools
    region_of_face: Ints
    regions: tuple[Region, ...]
    rim: Rim
    layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0)

    notes: tuple[str, ...] = ()
    """What was passed over or taken as it is, in words: faces without area, open edges."""

    @property
    def tilt_deg(self) -> float:
        """By how much layers are tilted: 0 but on a belt."""
        return math.degrees(math.acos(min(1.0, self.layer_normal[2])))

    @cached_property
    def to_support(self) -> tuple[Region, ...]:
        """The regions that do not support themselves."""
        return tuple(region for region in self.regions if not region.left_out)

    @cached_property
    def faces_to_hold(self) -> Longs:
        """Numbers of the faces of regions that do not support themselves."""
        holds = np.array([not region.left_out for region in self.regions] + [False])
        return frozen(np.flatnonzero(holds[self.region_of_face]))

    @cached_property
    def outlines(self) -> Outlines:
        """The outlines of all face regions."""
        return trace_outlines(self.rim, self.layer_normal)

    @cached_property
    def doubtful(self) -> Bools:
        """(m,): faces between critical and watch angle, not lying on the plate."""
        result: Bools = (self.surface_angle < self.watch_angle) & ~self.critical & ~self.on_plate
        result &= self.region_of_face < 0
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


@heavy
def detect(
    topology: Topology,
    placed: Mesh,
    *,
    critical_angle: float,
    watch_angle: float | None = None,
    layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0),
    hand: np.ndarray | None = None,
    bridging: SelfBridging | None = None,
    taken_back: Floats | None = None,
    watch: Watch = UNWATCHED,
) -> Overhangs:
    """Find all regions of a mesh in its pose.

    `topology` is that of the same mesh in any pose: only what touches what is read from it. A face is critical when
    n·b < -cos(critical angle) and it does not lie on the plate. `hand` (m,) are marks by hand: faces with one number
    above 0 that look down are one region, those with `NO_REGION` belong to none. With `bridging` regions that
    support themselves are left out, but for those nearest to a place of `taken_back` (k, 3).
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
    marks = np.zeros(len(placed.faces), np.int16) if hand is None else hand
    in_region = (critical & (marks == 0)) | ((marks > 0) & (angle < _WALL_DEG) & ~on_plate)
    faces, labels = _connected(topology, in_region, marks)
    watch.at(0.6, "looking for low edges and points")
    low = find_low_places(topology, placed, normal, critical=in_region | (critical & (marks != 0)), resting=near)
    of_face = np.full(len(placed.faces), -1, np.int32)
    of_face[faces] = labels
    rim = find_rim(topology, placed, of_face, faces, layer_normal)
    regions = _face_regions(placed, faces, labels, angle, cosines, rim, marks, normal)
    if bridging is not None:
        watch.at(0.8, "looking for self-supporting regions")
        regions = _told_what_holds_itself(topology, placed, regions, rim, bridging, normal, taken_back)
    regions += _low_regions(placed, low, len(regions), normal)
    return Overhangs(
        placed,
        critical_angle,
        critical_angle if watch_angle is None else watch_angle,
        frozen(angle),
        frozen(critical),
        frozen(on_plate),
        frozen(of_face),
        tuple(regions),
        rim,
        layer_normal,
        _notes(topology),
    )


def _notes(topology: Topology) -> tuple[str, ...]:
    """What is wrong with the mesh, as far as it touches the regions."""
    flat = int((topology.mesh.areas == 0).sum())
    open_edges, crowded = len(topology.open_edges), len(topology.non_manifold_edges)
    counted = (
        (flat, f"{flat} face{'s' * (flat > 1)} without area passed over"),
        (open_edges, f"{open_edges} open edge{'s' * (open_edges > 1)} taken as free rim"),
        (crowded, f"{crowded} edge{'s' * (crowded > 1)} with more than two faces taken as free rim"),
    )
    return tuple(words for count, words in counted if count)


def _told_what_holds_itself(
    topology: Topology,
    placed: Mesh,
    regions: list[Region],
    rim: Rim,
    bridging: SelfBridging,
    normal: Floats,
    taken_back: Floats | None,
) -> list[Region]:
    """The regions, those that support themselves with the reason; not those made by hand or taken back."""
    kept = {region.id for region in regions if region.is_by_hand}
    for place in np.zeros((0, 3)) if taken_back is None else taken_back:
        near = [region for region in regions if _distance_to(placed, region, place) <= _TAKEN_BACK_MM]
        kept |= {min(near, key=lambda region: _distance_to(placed, region, place)).id} if near else set()
    of = [(region.faces, region.area_mm2) for region in regions]
    reasons = reasons_to_leave_out(topology, placed, of, rim, bridging, normal)
    return [
        replace(region, left_out=reason) if reason and region.id not in kept else region
        for region, reason in zip(regions, reasons, strict=True)
    ]


def _distance_to(placed: Mesh, region: Region, place: Floats) -> float:
    return float(np.linalg.norm(placed.centroids_of(region.faces) - place, axis=1).min())


def _connected(topology: Topology, chosen: Bools, marks: np.ndarray) -> tuple[Longs, Ints]:
    """The chosen faces sorted by region, and each one's region, numbered in the order of their first face.

    Faces belong together over edges where they bear the same mark; those of a region made by hand in any case.
    """
    faces = np.flatnonzero(chosen)
    place = np.full(len(chosen), -1, np.int64)
    place[faces] = np.arange(len(faces))
    pairs = topology.pair_faces
    pairs = pairs[chosen[pairs].all(axis=1) & (marks[pairs[:, 0]] == marks[pairs[:, 1]])]
    by_hand = faces[marks[faces] > 0]
    by_hand = by_hand[np.argsort(marks[by_hand], kind="stable")]
    chain = np.column_stack([by_hand[:-1], by_hand[1:]])
    pairs = np.concatenate([pairs, chain[marks[chain[:, 0]] == marks[chain[:, 1]]]])
    a, b = place[pairs[:, 0]], place[pairs[:, 1]]
    labels = components_of(len(faces), a, b)
    order = np.argsort(labels, kind="stable")
    return faces[order], labels[order].astype(np.int32)


def _face_regions(
    mesh: Mesh,
    faces: Longs,
    labels: Ints,
    angle: Floats,
    cosines: Floats,
    rim: Rim,
    marks: np.ndarray,
    normal: Floats,
) -> list[Region]:
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
    mean = np.add.reduceat(angle[faces] * areas, starts) / np.maximum(area_sums, 1e-300)
    rims = rim_lengths(rim, len(starts))
    along = (mesh.vertices @ normal)[mesh.faces[faces]]
    first = np.minimum.reduceat(along.min(axis=1), starts)
    last = np.maximum.reduceat(along.max(axis=1), starts)
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
            mean_angle_deg=float(mean[number]),
            rim_mm=tuple(rims[number].tolist()),
            along_mm=(float(first[number]), float(last[number])),
            is_by_hand=bool(marks[faces[start]] > 0),
        )
        for number, (start, stop) in enumerate(zip(starts.tolist(), stops.tolist(), strict=True))
    ]


def _low_regions(mesh: Mesh, low: LowPlaces, first_id: int, normal: Floats) -> list[Region]:
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
                    along_mm=(float((places @ normal).min()), float((places @ normal).max())),
                )
            )
    return regions
