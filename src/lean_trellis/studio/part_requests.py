"""Requests to the worker about parts: faults, mending, other files, poses, places on the plate."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from lean_trellis.core.arrays import Longs
from lean_trellis.core.demo import DEMOS
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError, FormatError
from lean_trellis.core.formats import Body, read_bodies
from lean_trellis.core.job.edits import Edit, add_bodies, origin_of, replace_mesh
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.measuring import Cylinder, bore_at, wall_at
from lean_trellis.core.mesh.mend import Mended, mend, mend_all
from lean_trellis.core.mesh.patch import Plane, best_plane, smooth_patch
from lean_trellis.core.mesh.shaping import drilled, hollowed, with_allowance, with_cut_off
from lean_trellis.core.parts.aligning import room_below
from lean_trellis.core.parts.origin import Origin
from lean_trellis.core.planning import FoundPoses, search_poses
from lean_trellis.core.progress import Stretch, Watch
from lean_trellis.core.proposals import Arrangement, ArrangeWishes, arrangement, further_plates, pose_request
from lean_trellis.core.revision import RevisedFile, revise
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.sets.recipe import Recipe
from lean_trellis.core.shop import full_library

PATCH_STEP_DEG = 12.0


@dataclass(frozen=True)
class MendMesh:
    """Do one mending step, or all that help where `step` is empty."""

    mesh: Mesh
    step: str = ""

    def answer(self, pipeline: Pipeline, watch: Watch) -> Mended:
        """The mended mesh with figures before and after."""
        return mend(self.mesh, self.step, watch) if self.step else mend_all(self.mesh, watch)


@dataclass(frozen=True)
class ReadBody:
    """Read one body: of a revised file, or of the same file tessellated otherwise."""

    path: Path
    origin: Origin
    tolerance_mm: float | None = None

    def answer(self, pipeline: Pipeline, watch: Watch) -> Body:
        """The body at the same place of the file, or its only one."""
        unit = self.origin.unit if self.origin.unit_is_from != "file" else None
        bodies = read_bodies(self.path, unit=unit, tolerance_mm=self.tolerance_mm, watch=watch)
        if len(bodies) == 1:
            return bodies[0]
        if self.origin.body >= len(bodies):
            raise FormatError(self.path, f"holds {len(bodies)} bodies, fewer than before", "import it anew")
        return bodies[self.origin.body]


@dataclass(frozen=True)
class Revise:
    """What a revised file in a part's place comes to."""

    job: Job
    part_id: str
    path: Path
    recipes: Mapping[str, Recipe]
    sets: Mapping[str, ParameterSet]

    def answer(self, pipeline: Pipeline, watch: Watch) -> RevisedFile:
        """The edit, and what is kept, changed and lost."""
        part = self.job.part(self.part_id)
        body = ReadBody(self.path, part.origin).answer(pipeline, Stretch(watch, 0.0, 0.2))
        return revise(
            self.job, self.part_id, body.mesh, origin_of(str(self.path), body),
            f"Replace {part.name} by {self.path.name}", self.recipes, self.sets, pipeline, Stretch(watch, 0.2, 1.0),
        )  # fmt: skip


@dataclass(frozen=True)
class SearchPoses:
    """Look for good poses of a part."""

    job: Job
    part_id: str
    keeps_range: bool
    height_limit: float | None

    def answer(self, pipeline: Pipeline, watch: Watch) -> FoundPoses:
        """What was found."""
        request = pose_request(self.job, self.part_id, keeps_range=self.keeps_range, height_limit=self.height_limit)
        return search_poses(request, watch)


@dataclass(frozen=True)
class Arrange:
    """Look for places for parts."""

    job: Job
    wishes: ArrangeWishes

    def answer(self, pipeline: Pipeline, watch: Watch) -> Arrangement:
        """The edit that takes them."""
        return arrangement(self.job, self.wishes, pipeline, watch)


@dataclass(frozen=True)
class SpreadRest:
    """Further plates for the parts that found no room."""

    job: Job
    left_over: tuple[str, ...]
    wishes: ArrangeWishes

    def answer(self, pipeline: Pipeline, watch: Watch) -> tuple[Job, ...]:
        """A job for each plate."""
        return further_plates(self.job, self.left_over, self.wishes, pipeline, watch)


@dataclass(frozen=True)
class MeasureRoom:
    """By how much a part may sink before it meets another."""

    job: Job
    part_id: str
    on_part: str

    def answer(self, pipeline: Pipeline, watch: Watch) -> float:
        """The room in mm. Raises `EditError` where they do not stand over each other."""
        watch.at(0.1, "measuring between the parts")
        upper, lower = (pipeline.placed(self.job.part(part_id)) for part_id in (self.part_id, self.on_part))
        room = room_below(upper, lower, pipeline.tree(lower), pipeline.tree(upper))
        if not np.isfinite(room):
            name = self.job.part(self.on_part).name
            raise EditError(self.job.part(self.part_id).name, f"does not stand over {name}", "centre it there first")
        return room


@dataclass(frozen=True)
class FitPlane:
    """The plane that fits a smooth patch round a selected face best."""

    mesh: Mesh
    face: int

    def answer(self, pipeline: Pipeline, watch: Watch) -> Plane:
        """The plane in the mesh's own coordinates."""
        watch.at(0.2, "fitting a plane to the patch")
        return best_plane(self.mesh, smooth_patch(pipeline.topology(self.mesh), self.face, step_deg=PATCH_STEP_DEG))


@dataclass(frozen=True)
class MakeDemo:
    """One of the demo builds, by name."""

    name: str

    def answer(self, pipeline: Pipeline, watch: Watch) -> Job:
        """The job."""
        watch.at(0.1, "making the parts of the demo")
        return DEMOS[self.name].build(full_library())


@dataclass(frozen=True)
class MeasureWall:
    """The wall straight behind a place on a face, mesh coordinates."""

    mesh: Mesh
    face: int
    place: tuple[float, float, float]

    def answer(self, pipeline: Pipeline, watch: Watch) -> float:
        """Thickness in mm."""
        return wall_at(self.mesh, pipeline.tree(self.mesh), self.face, np.array(self.place))


@dataclass(frozen=True)
class MeasureBore:
    """The cylinder of which a face is part of the wall, mesh coordinates."""

    mesh: Mesh
    face: int

    def answer(self, pipeline: Pipeline, watch: Watch) -> Cylinder | None:
        """The cylinder, or nothing where it is not round."""
        return bore_at(pipeline.topology(self.mesh), self.face)


@dataclass(frozen=True, eq=False)
class Shaped:
    """A mesh that was worked upon, how much larger it is, and the plug of a hole."""

    mesh: Mesh
    change_mm3: float
    plug: Mesh | None = None


def _shaped(before: Mesh, after: Mesh, plug: Mesh | None = None) -> Shaped:
    return Shaped(after, after.volume - before.volume, plug)


def take_shape(job: Job, *, part_id: str, shaped: Shaped, title: str, with_plug: bool) -> Edit:
    """A part gets the shape; the plug comes in beside it, named after it, where it is wanted."""
    part = job.part(part_id)
    job = replace_mesh(job, part_id, shaped.mesh, title).job
    if with_plug and shaped.plug is not None:
        plug = Body(f"{part.name} plug", shaped.plug, len(shaped.plug.faces))
        job = add_bodies(job, [plug], file="made here", owner=part.owner).job
    return Edit(title, job)


@dataclass(frozen=True)
class Hollow:
    """Hollow a mesh."""

    mesh: Mesh
    wall: float

    def answer(self, pipeline: Pipeline, watch: Watch) -> Shaped:
        """The mesh with its cavity."""
        return _shaped(self.mesh, hollowed(self.mesh, self.wall, watch))


@dataclass(frozen=True)
class Drill:
    """Drill a drain or a vent at a place on a face, straight inwards."""

    mesh: Mesh
    place: tuple[float, float, float]
    face: int
    diameter: float
    depth: float

    def answer(self, pipeline: Pipeline, watch: Watch) -> Shaped:
        """The mesh with the hole, and its plug."""
        watch.at(0.2, "drilling")
        result = drilled(self.mesh, np.array(self.place), -self.mesh.normals[self.face], self.diameter, self.depth)
        return _shaped(self.mesh, result.mesh, result.plug)


@dataclass(frozen=True, eq=False)
class AddAllowance:
    """Thicken some faces."""

    mesh: Mesh
    faces: Longs
    amount: float

    def answer(self, pipeline: Pipeline, watch: Watch) -> Shaped:
        """The mesh with the allowance."""
        watch.at(0.2, "adding the allowance")
        return _shaped(self.mesh, with_allowance(self.mesh, self.faces, self.amount))


@dataclass(frozen=True)
class AddCutOff:
    """Add material below for the saw."""

    mesh: Mesh
    down: tuple[float, float, float]
    height: float
    layer_height: float

    def answer(self, pipeline: Pipeline, watch: Watch) -> Shaped:
        """The mesh with its foot."""
        watch.at(0.2, "adding the cut-off")
        after = with_cut_off(self.mesh, np.array(self.down), self.height, self.layer_height)
        return _shaped(self.mesh, after)
