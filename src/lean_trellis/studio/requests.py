"""What the worker is asked: frozen requests, and the pure functions that answer them."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast

import numpy as np
from scipy.spatial import cKDTree
from shapely import convex_hull, get_coordinates, multipoints

from lean_trellis.core.arrays import Floats, Ints, Longs
from lean_trellis.core.checks import Finding
from lean_trellis.core.errors import EditError, TrellisError
from lean_trellis.core.formats import Body, read_bodies
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.recovery import LeftCopy, open_copy
from lean_trellis.core.mesh import Mesh, MeshHealth
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.overhang import Island, Region
from lean_trellis.core.overhang.outline import Outlines
from lean_trellis.core.parts.part import Part
from lean_trellis.core.pipeline import Pipeline, RegionFacts
from lean_trellis.core.progress import Part as Stretch
from lean_trellis.core.progress import Watch
from lean_trellis.core.release import ExportRequest, export_build
from lean_trellis.core.shop import full_library
from lean_trellis.core.supports import Bars, Support
from lean_trellis.core.supports.panels import Panels
from lean_trellis.core.supports.structure import Solid, Structure

MOST_SHOWN_SOFTWARE = 20_000
"""Faces of one part shown at most where no graphics hardware draws: some 25 ms a frame on one core."""
_GATHERED_TO = 8
"""How many times the faces wanted are left for the careful simplification."""
_WALL_SHARE = 4
"""How many times the faces of one part a thick lattice may have before it is shown as sheets."""
MOST_SHOWN = 600_000
"""The same with graphics hardware."""


@dataclass(frozen=True, eq=False)
class ShownMesh:
    """A mesh as the view shows it: itself, or a lighter stand-in. `source` (k,) tells each face's original."""

    vertices: Floats
    faces: Ints
    source: Longs
    is_stand_in: bool


@dataclass(frozen=True, eq=False)
class ShownPart:
    """What the window knows of a mesh."""

    shown: ShownMesh
    health: MeshHealth


@dataclass(frozen=True, eq=False)
class ShownRegions:
    """What the window knows of a part's overhangs. Arrays are per shown face."""

    regions: tuple[Region, ...]
    angles: Floats
    on_plate: np.ndarray
    region_of_face: Ints
    critical_area_mm2: float
    projected_area_mm2: float
    outlines: Outlines
    notes: tuple[str, ...] = ()
    silhouette: tuple[Floats, ...] = ()
    """Outlines of the whole part seen from below: rings of (k, 2) places, holes run the other way."""


@dataclass(frozen=True)
class ReadFiles:
    """Read mesh files; a bad one does not stop the others."""

    paths: tuple[Path, ...]
    unit: str | None = None

    def answer(self, pipeline: Pipeline, watch: Watch) -> tuple[list[tuple[Path, list[Body]]], list[TrellisError]]:
        """The bodies of each good file, and the errors of the others."""
        good, bad = [], []
        for number, path in enumerate(self.paths):
            watch.at(number / len(self.paths), f"reading {path.name}")
            try:
                stretch = Stretch(watch, number / len(self.paths), (number + 1) / len(self.paths))
                good.append((path, read_bodies(path, unit=self.unit, watch=stretch)))
            except TrellisError as problem:
                if type(problem).__name__ == "Cancelled":
                    raise
                bad.append(problem)
        return good, bad


@dataclass(frozen=True)
class OpenJob:
    """Read a job file."""

    path: Path

    def answer(self, pipeline: Pipeline, watch: Watch) -> Job:
        """The job."""
        return open_job(self.path, full_library(), watch)


@dataclass(frozen=True)
class OpenCopy:
    """Read a recovery copy."""

    copy: LeftCopy

    def answer(self, pipeline: Pipeline, watch: Watch) -> Job:
        """The job."""
        return open_copy(self.copy, full_library(), watch)


@dataclass(frozen=True)
class SaveJob:
    """Write a job file."""

    job: Job
    path: Path

    def answer(self, pipeline: Pipeline, watch: Watch) -> Path:
        """Where it was written."""
        save_job(self.job, self.path, watch)
        return self.path


@dataclass(frozen=True)
class Export:
    """Write parts and supports to open formats."""

    job: Job
    request: ExportRequest

    def answer(self, pipeline: Pipeline, watch: Watch) -> tuple[Path, ...]:
        """The files written."""
        state = pipeline.state(self.job, Stretch(watch, 0, 0.5))
        return export_build(state, self.request, Stretch(watch, 0.5, 1))


@dataclass(frozen=True)
class ShowPart:
    """Examine a mesh and make what the view shows of it."""

    mesh: Mesh
    name: str
    most: int = MOST_SHOWN_SOFTWARE

    def answer(self, pipeline: Pipeline, watch: Watch) -> ShownPart:
        """Health and shown mesh."""
        watch.at(0.1, f"examining {self.name}")
        health = pipeline.health(self.mesh)
        watch.at(0.6, f"preparing the view of {self.name}")
        return ShownPart(shown_mesh(self.mesh, self.most), health)


@dataclass(frozen=True)
class ShowRegions:
    """Find a part's overhangs."""

    part: Part
    job: Job
    most: int = MOST_SHOWN_SOFTWARE

    def answer(self, pipeline: Pipeline, watch: Watch) -> ShownRegions:
        """Regions and what the view colours."""
        found = pipeline.overhangs(self.part, self.job, watch)
        source = shown_mesh(self.part.mesh, self.most).source
        return ShownRegions(
            found.regions,
            found.surface_angle[source],
            found.on_plate[source],
            found.region_of_face[source],
            found.critical_area_mm2,
            found.projected_area_mm2,
            found.outlines,
            found.notes,
            silhouette(self.part, shown_mesh(self.part.mesh, self.most)),
        )


@dataclass(frozen=True)
class ShowFacts:
    """Measure a part's regions further: spans, what lies beneath, how much is held."""

    part_id: str
    job: Job

    def answer(self, pipeline: Pipeline, watch: Watch) -> RegionFacts:
        """What is told of each region."""
        return pipeline.region_facts(self.part_id, self.job, watch)


@dataclass(frozen=True)
class ShowIslands:
    """Find a part's islands: they come after the regions, which the view waits for."""

    part: Part
    job: Job

    def answer(self, pipeline: Pipeline, watch: Watch) -> tuple[Island, ...]:
        """The islands."""
        watch.at(0.2, f"looking for islands on {self.part.name}")
        return pipeline.islands(self.part, self.job)


@dataclass(frozen=True, eq=False)
class ShownStructure:
    """What the window knows of a support: its structures, and of those that are no bars the mesh that is shown.

    Each face has its `elements` and `pieces` (m,); `frames` (k, 2, 3) are lines that stand for it while the view moves,
    where it is heavy. Thick walls of many faces are shown as sheets.
    """

    made: Structure
    mesh: Mesh | None = None
    elements: Longs | None = None
    pieces: Longs | None = None
    frames: Floats | None = None


@dataclass(frozen=True)
class ShowStructure:
    """Generate a support's structures."""

    support: Support
    job: Job
    most: int = MOST_SHOWN_SOFTWARE

    def answer(self, pipeline: Pipeline, watch: Watch) -> ShownStructure:
        """The structures, and what is shown of them."""
        return shown_structure(pipeline.structure(self.support, self.job, watch), self.most)


@dataclass(frozen=True)
class FindFindings:
    """Run all checks."""

    job: Job

    def answer(self, pipeline: Pipeline, watch: Watch) -> tuple[Finding, ...]:
        """All findings."""
        return pipeline.findings(self.job, watch)


@dataclass(frozen=True)
class PrepareTree:
    """Build a mesh's ray tree ahead of its use."""

    mesh: Mesh

    def answer(self, pipeline: Pipeline, watch: Watch) -> bool:
        """True when it is there."""
        pipeline.tree(self.mesh).prepare()
        return True


def shown_structure(made: Structure, most: int = MOST_SHOWN_SOFTWARE) -> ShownStructure:
    """What is shown of structures; bars are made into faces where they are drawn."""
    if isinstance(made, Bars):
        return ShownStructure(made)
    solid = cast("Solid", made)
    if not isinstance(made, Panels):
        return ShownStructure(made, solid.mesh, solid.element_of_face, solid.piece_of_face)
    frames = made.wall_frames() if 4 * len(made.slabs) > 2 * most else None
    if made.thickness == 0 or 8 * len(made.slabs) <= _WALL_SHARE * most:
        return ShownStructure(made, made.mesh, made.element_of_face, made.piece_of_face, frames)
    mesh, slab = made.sheets
    return ShownStructure(made, mesh, made.slabs.walls[slab], made.pieces[slab], frames)


_SHOWN: dict[str, ShownMesh] = {}


def shown_mesh(mesh: Mesh, most: int = MOST_SHOWN_SOFTWARE) -> ShownMesh:
    """The mesh itself when it is light, else a stand-in of about `most` faces; kept for the latest meshes."""
    if mesh.key not in _SHOWN:
        _SHOWN[mesh.key] = _made_lighter(mesh, most) if len(mesh.faces) > most else _as_it_is(mesh)
        while len(_SHOWN) > 64:
            del _SHOWN[next(iter(_SHOWN))]
    return _SHOWN[mesh.key]


def silhouette(part: Part, shown: ShownMesh) -> tuple[Floats, ...]:
    """The outlines of a part as it stands, seen from below; those of its hull where the shown mesh bounds no solid."""
    places = part.pose.to_plate(part.mesh, shown.vertices)
    try:
        rings = to_manifold(Mesh(places, shown.faces)).project().to_polygons()
    except EditError:
        hull = convex_hull(multipoints(places[:, :2]))
        rings = [get_coordinates(hull)[:-1]] if len(places) > 2 else []
    return tuple(np.asarray(ring, np.float64) for ring in rings if len(ring) > 2)


def _as_it_is(mesh: Mesh) -> ShownMesh:
    return ShownMesh(mesh.vertices, mesh.faces, np.arange(len(mesh.faces)), is_stand_in=False)


def _made_lighter(mesh: Mesh, most: int) -> ShownMesh:
    import fast_simplification

    vertices, corners = _gathered(mesh, _GATHERED_TO * most)
    points, faces = fast_simplification.simplify(vertices.astype(np.float32), corners, target_count=most, agg=7)
    middles = points[faces].mean(axis=1)
    source = cKDTree(mesh.centroids).query(middles, workers=-1)[1]
    return ShownMesh(points.astype(np.float64), faces.astype(np.int32), source, is_stand_in=True)


def _gathered(mesh: Mesh, most: int) -> tuple[Floats, Ints]:
    """Vertices gathered to the middle of theirs in cubes, so that about `most` faces stay; quick and coarse."""
    if len(mesh.faces) <= most:
        return mesh.vertices, mesh.faces.copy()
    cube = np.sqrt(2 * mesh.area / most)
    cells = np.floor((mesh.vertices - mesh.bounds[0]) / cube).astype(np.int64)
    rows = cells.max(axis=0) + 1
    _, home = np.unique((cells[:, 0] * rows[1] + cells[:, 1]) * rows[2] + cells[:, 2], return_inverse=True)
    counts = np.bincount(home)
    vertices = np.column_stack([np.bincount(home, weights=column) for column in mesh.vertices.T]) / counts[:, None]
    faces = home[mesh.faces].astype(np.int32)
    a, b, c = faces.T
    return vertices, np.ascontiguousarray(faces[(a != b) & (b != c) & (c != a)])


Request = Any
