"""Requests to the worker about the specimen of a set."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trellis.core.demo.specimen import specimen_job
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.progress import Watch
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.shop import Machine, Material


@dataclass(frozen=True, eq=False)
class Specimen:
    """The test shape with the support of a set, and what that comes to."""

    part: Mesh
    support: Mesh
    words: str
    used: float


@dataclass(frozen=True)
class MakeSpecimen:
    """Support the test shape with a set's values."""

    chosen: ParameterSet
    machine: Machine
    material: Material

    def answer(self, pipeline: Pipeline, watch: Watch) -> Specimen:
        """What came of it. Raises `ParameterError` where the values contradict the material or the shape."""
        watch.at(0.1, "supporting the specimen")
        job = specimen_job(self.chosen, self.machine, self.material)
        (support,), (part,) = job.supports, job.parts
        made = pipeline.structure(support, job, watch)
        figures = pipeline.figures(part.id, job)[support.id]
        words = f"{made.counted}, {made.volume_mm3 / 1000:.2f} cm³, {made.contact_area_mm2:.1f} mm² of contact"
        return Specimen(pipeline.placed(part), made.mesh, words, float(figures.used.max(initial=0.0)))
