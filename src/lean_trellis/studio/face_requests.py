"""Requests to the worker about faces: those meant by clicks, strokes and areas; those that had better be protected."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh.features import fine_detail, inner_faces
from lean_trellis.core.mesh.patch import smooth_patch
from lean_trellis.core.mesh.picking import alike, grown, in_plane, shrunk, under_area, within_reach
from lean_trellis.core.mesh.refining import Refined, refined_near
from lean_trellis.core.parts.part import Part
from lean_trellis.core.progress import Watch

Place = tuple[float, float, float]
_NUDGE = 1e-4
_FINENESS = 0.4


@dataclass(frozen=True)
class FacesAt:
    """The faces meant by a click on a face: alone, the smooth patch up to an angle, its plane, all of its kind.

    With a face of -1 the one that is first met from straight below `place` is meant.
    """

    part: Part
    tool: Literal["face", "patch", "plane", "alike"]
    face: int
    place: Place = (0.0, 0.0, 0.0)
    step_deg: float = 12.0

    def answer(self, pipeline: Pipeline, watch: Watch) -> Longs:
        """Their numbers."""
        watch.at(0.2, "selecting faces")
        mesh, face = self.part.mesh, self.face
        if face < 0:
            _, faces_met = met_from_below(pipeline, self.part, np.array([self.place]))
            face = int(faces_met[0])
        if face < 0:
            return np.zeros(0, np.int64)
        match self.tool:
            case "patch":
                return smooth_patch(pipeline.topology(mesh), face, step_deg=self.step_deg)
            case "plane":
                return in_plane(mesh, face)
            case "alike":
                return alike(pipeline.topology(mesh), face)
        return np.array([face])


def met_from_below(pipeline: Pipeline, part: Part, places: Floats) -> tuple[Floats, Longs]:
    """What rays straight up from (n, 3) places of the plate's frame meet first.

    Gives (n, 3) places in the part's frame and (n,) faces, -1 where there is none.
    """
    up = np.array([[0.0, 0.0, 1.0]]) @ part.pose.matrix
    origins = part.pose.to_part(part.mesh, places)
    hits = pipeline.tree(part.mesh).first_hits(origins, up)
    reach = np.where(np.isfinite(hits.distance), hits.distance, 0.0)
    return origins + reach[:, None] * up, hits.face


@dataclass(frozen=True, eq=False)
class Painted:
    """The faces under a stroke, numbers of the refined mesh; its faces are small against the brush where it went."""

    refined: Refined
    faces: Longs


@dataclass(frozen=True)
class FacesUnderStroke:
    """The faces under a round brush moved over a part, parted where they are large against it.

    Each place is on the plate's frame with the face there; a face of -1 means what is first met from straight below.
    """

    part: Part
    stroke: tuple[tuple[int, Place], ...]
    radius: float

    def answer(self, pipeline: Pipeline, watch: Watch) -> Painted:
        """The finer mesh and the faces on it."""
        mesh, pose = self.part.mesh, self.part.pose
        on_plate = np.array([place for _, place in self.stroke])
        places, faces = pose.to_part(mesh, on_plate), np.array([face for face, _ in self.stroke])
        blind = np.flatnonzero(faces < 0)
        if len(blind):
            places[blind], faces[blind] = met_from_below(pipeline, self.part, on_plate[blind])
        faces_met = faces >= 0
        places, faces = places[faces_met], faces[faces_met]
        if not len(faces):
            return Painted(Refined(mesh, np.arange(len(mesh.faces))), faces)
        watch.at(0.2, "painting")
        refined = refined_near(mesh, places, self.radius, _FINENESS * self.radius)
        topology = pipeline.topology(refined.mesh)
        reached = []
        for number, (face, place) in enumerate(zip(faces.tolist(), places, strict=True)):
            watch.at(0.4 + 0.6 * number / len(faces), "painting")
            pieces = np.flatnonzero(refined.parent == face)
            seed = pieces[np.linalg.norm(refined.mesh.centroids_of(pieces) - place, axis=1).argmin()]
            reached.append(within_reach(topology, int(seed), place, self.radius))
        return Painted(refined, np.unique(np.concatenate(reached)))


@dataclass(frozen=True)
class FacesInArea:
    """The faces within an area drawn over a view: those that look at the eye and are not hidden.

    `area` are places on the picture. `matrix` (16 numbers, row by row) takes a place of the plate's frame to the
    picture times its depth, `eye` is where it is looked from; without them the picture is the plan seen from below.
    """

    part: Part
    area: tuple[tuple[float, float], ...]
    matrix: tuple[float, ...] | None = None
    eye: Place | None = None

    def answer(self, pipeline: Pipeline, watch: Watch) -> Longs:
        """Their numbers."""
        watch.at(0.2, "selecting faces")
        placed = pipeline.placed(self.part)
        middles = placed.centroids
        if self.matrix is None or self.eye is None:
            shown, looks = middles[:, :2], placed.normals[:, 2] < -_NUDGE
            towards = np.broadcast_to([0.0, 0.0, -1.0], middles.shape)
        else:
            homogeneous = np.column_stack([middles, np.ones(len(middles))]) @ np.reshape(self.matrix, (4, 4)).T
            shown = homogeneous[:, :2] / homogeneous[:, 3:]
            towards = np.array(self.eye) - middles
            towards = towards / np.linalg.norm(towards, axis=1, keepdims=True)
            looks = np.einsum("ij,ij->i", placed.normals, towards) > _NUDGE
        inside = under_area(shown, looks, np.array(self.area))
        return inside[self._seen(pipeline, middles[inside], placed.normals[inside], towards[inside])]

    def _seen(self, pipeline: Pipeline, middles: Floats, normals: Floats, towards: Floats) -> Bools:
        """Whether nothing of the part lies between places and the eye."""
        mesh, pose = self.part.mesh, self.part.pose
        nudge = _NUDGE * float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
        origins = pose.to_part(mesh, middles + nudge * normals)
        result: Bools = ~np.isfinite(pipeline.tree(mesh).first_hits(origins, towards @ pose.matrix).distance)
        return result


@dataclass(frozen=True, eq=False)
class FacesAround:
    """Selected faces with one more row round them, or without their outermost row."""

    part: Part
    faces: Longs
    more: bool

    def answer(self, pipeline: Pipeline, watch: Watch) -> Longs:
        """Their numbers."""
        return (grown if self.more else shrunk)(pipeline.topology(self.part.mesh), self.faces)


@dataclass(frozen=True)
class SuggestProtected:
    """What had better be protected: fine detail smaller than a size, or concave inner faces."""

    part: Part
    what: Literal["detail", "inner"]
    size_mm: float = 3.0

    def answer(self, pipeline: Pipeline, watch: Watch) -> Longs:
        """The faces' numbers."""
        watch.at(0.1, "looking for what had better be protected")
        mesh = self.part.mesh
        topology = pipeline.topology(mesh)
        if self.what == "detail":
            return fine_detail(topology, self.size_mm)
        return inner_faces(topology, pipeline.tree(mesh), watch)
