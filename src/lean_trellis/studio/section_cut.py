"""What a section plane cuts open, derived beside the window: flat faces, hatch lines and rims of parts and supports."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import Job
from lean_trellis.core.mesh.directions import level_frame
from lean_trellis.core.mesh.hatching import hatch_lines
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.slicing import slice_of
from lean_trellis.core.parts.part import Part
from lean_trellis.core.progress import Watch
from lean_trellis.core.supports.common.support import Support

_HATCH_MM, _MOST_ACROSS = 1.4, 90


@dataclass(frozen=True)
class SectionPlane:
    """A plane across x, y or z (0, 1, 2) at a place, mm. What lies on the near side of it is cut off.

    Across layers that are tilted its axes are those of the frame with this normal.
    """

    axis: int
    place: float
    layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0)

    @property
    def frame(self) -> Floats:
        """(3, 3): its axes, in columns."""
        return level_frame(self.layer_normal)

    @property
    def normal(self) -> Floats:
        """(3,): towards what stays; away from the usual eye, so that the half nearer to it goes."""
        axis: Floats = self.frame[:, self.axis]
        return axis if self.axis == 1 else -axis

    @property
    def origin(self) -> Floats:
        """(3,): a place on it, mm."""
        origin: Floats = self.frame[:, self.axis] * self.place
        return origin


@dataclass(frozen=True, eq=False)
class Cut:
    """One body cut open: the flat `face`, `hatch` lines on it and the `rim`, both (n, 2, 3)."""

    face: Mesh
    hatch: Floats
    rim: Floats


@dataclass(frozen=True, eq=False)
class Cuts:
    """All that a plane cuts, by the ids of parts and supports."""

    parts: dict[str, Cut]
    supports: dict[str, Cut]


@dataclass(frozen=True, eq=False)
class CutOpen:
    """Cut some parts and supports of a job with a plane."""

    plane: SectionPlane
    parts: tuple[Part, ...]
    supports: tuple[Support, ...]
    job: Job

    def answer(self, pipeline: Pipeline, watch: Watch) -> Cuts:
        """The cuts; what the plane passes by has none."""
        parts, supports = {}, {}
        count = max(1, len(self.parts) + len(self.supports))
        for number, part in enumerate(self.parts):
            watch.at(number / count, f"cutting {part.name}")
            parts[part.id] = _cut(pipeline.placed(part), self.plane, turned=number % 2 == 1)
        for number, support in enumerate(self.supports, start=len(self.parts)):
            watch.at(number / count, f"cutting {support.set_name}")
            supports[support.id] = _cut(pipeline.structure(support, self.job).mesh, self.plane)
        return Cuts(parts, supports)


def _cut(mesh: Mesh, plane: SectionPlane, *, turned: bool = False) -> Cut:
    """Hatched one way or, `turned`, the other: so parts beside each other differ."""
    frame = plane.frame
    if np.array_equal(frame, np.eye(3)):
        return _cut_level(mesh, plane, turned=turned)
    level = _cut_level(Mesh(mesh.vertices @ frame, mesh.faces), plane, turned=turned)
    back = frame.T
    return Cut(Mesh(level.face.vertices @ back, level.face.faces), level.hatch @ back, level.rim @ back)


def _cut_level(mesh: Mesh, plane: SectionPlane, *, turned: bool) -> Cut:
    """The cut of a mesh in the plane's own frame."""
    cut = slice_of(mesh, plane.axis, plane.place)
    if not len(cut.face.faces):
        return Cut(cut.face, np.zeros((0, 2, 3)), cut.lines)
    direction = np.zeros(3)
    direction[[(plane.axis + 1) % 3, (plane.axis + 2) % 3]] = (1.0, -1.0 if turned else 1.0)
    across = float(np.linalg.norm(np.ptp(cut.face.vertices, axis=0)))
    apart = max(_HATCH_MM, across / _MOST_ACROSS)
    return Cut(cut.face, hatch_lines(cut.face, np.arange(len(cut.face.faces)), apart, direction), cut.lines)
