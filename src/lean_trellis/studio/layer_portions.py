"""Layers as the window shows them: outlines and marks of a portion of layers at a time, found beside the window."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.derive.layers import bodies_between, paths_in_layer
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import Job
from lean_trellis.core.layers.build import LayeredBody
from lean_trellis.core.layers.estimate import BodyKind
from lean_trellis.core.layers.marks import LayerMarks, marks_of
from lean_trellis.core.layers.paths import Paths
from lean_trellis.core.mesh.slices import ring_areas
from lean_trellis.core.progress import Stretch, Watch
from lean_trellis.core.shop.material import LEAST_WALL_MM, value_or

AT_ONCE = 12
"""So many layers are asked for at a time."""


@dataclass(frozen=True, eq=False)
class ShownLayer:
    """One layer: rings (k, 2) of parts and supports, open lines of supports with their width, and what is marked."""

    parts: tuple[Floats, ...]
    supports: tuple[Floats, ...]
    lines: tuple[Floats, ...]
    line_mm: float
    marks: LayerMarks
    added: tuple[Floats, ...] = ()
    """What of the parts is there so that nothing is too thin."""

    @property
    def added_mm2(self) -> float:
        """The area of that."""
        return float(sum(ring_areas(ring, np.array([0, len(ring)]))[0] for ring in self.added))


def portion_of(number: int) -> int:
    """The number of the portion that a layer is in."""
    return number // AT_ONCE


@dataclass(frozen=True, eq=False)
class ShowPortion:
    """The layers of a portion of a job."""

    job: Job
    portion: int

    def answer(self, pipeline: Pipeline, watch: Watch) -> dict[int, ShownLayer]:
        """The layers by number."""
        job = self.job
        numbers = range(self.portion * AT_ONCE, (self.portion + 1) * AT_ONCE)
        # A layer more below: what hangs is seen against it, and supports may be built at every n-th layer only.
        wider = range(numbers[0] - 1 - job.support_every, numbers[-1] + 1)
        bodies = bodies_between(pipeline.graph, job, wider, Stretch(watch, 0.0, 0.8))
        return {number: _shown(job, bodies, number) for number in numbers}


@dataclass(frozen=True, eq=False)
class ShowPaths:
    """What the machine follows in one layer of a job, of bodies of some kinds: of each its kind and its paths."""

    job: Job
    number: int
    kinds: frozenset[BodyKind]

    def answer(self, pipeline: Pipeline, watch: Watch) -> tuple[tuple[str, Paths], ...]:
        """Empty in a vat, where a layer is exposed at once."""
        return paths_in_layer(pipeline.graph, self.job, self.number, self.kinds, watch)


def _shown(job: Job, bodies: tuple[LayeredBody, ...], number: int) -> ShownLayer:
    parts = [body for body in bodies if not body.is_support]
    others = [body for body in bodies if body.is_support]
    # The plate holds its layer; a belt holds every one at its edge, so that nothing is said of what hangs there.
    # Supports at every n-th layer stand below those that they are built with.
    below = [number - step for step in range(1, job.support_every + 1)]
    marks = marks_of(
        _rings(parts, number), _rings(parts, number - 1), [ring for one in below for ring in _rings(others, one)],
        height_mm=job.layer_height, critical_deg=job.material.detection.critical_angle,
        least_mm=value_or(job.constants, "least_wall", LEAST_WALL_MM), is_on_plate=number == 0 or job.machine.is_belt,
    )  # fmt: skip
    lines = [line for body in others for line in body.lines(number)]
    width = max([0.0, *(body.layers.line_mm for body in others)])
    added = [ring for body in parts for ring in body.added(number)]
    return ShownLayer(
        tuple(_small(_rings(parts, number))), tuple(_small(_rings(others, number))), tuple(_small(lines)), width, marks,
        tuple(_small(added)),
    )  # fmt: skip


def _rings(bodies: list[LayeredBody], number: int) -> list[Floats]:
    return [ring for body in bodies for ring in body.outlines(number)]


def _small(ways: list[Floats]) -> list[Floats]:
    """Copies that do not hold on to all others."""
    return [np.array(way) for way in ways]
