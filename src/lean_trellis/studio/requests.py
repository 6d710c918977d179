"""Requests to the worker: frozen values, and the pure functions that answer them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from lean_trellis.core.checks.finding import Change, Cure, Finding
from lean_trellis.core.checks.trying import tried_cures
from lean_trellis.core.derive.layers import LAYERED_BUILD
from lean_trellis.core.derive.node import Node, Subject
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.formats import Body, read_bodies
from lean_trellis.core.job.edits import Edit
from lean_trellis.core.job.files import open_job, save_job
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.recovery import LeftCopy, open_copy
from lean_trellis.core.layers.machine_files import layers_path, write_layers
from lean_trellis.core.progress import Stretch, Watch
from lean_trellis.core.release.export import ExportRequest, export_build
from lean_trellis.core.search.savings import Saving, savings
from lean_trellis.core.shop import full_library


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
class TryCures:
    """Work out what the cures of a finding would bring."""

    finding: Finding
    job: Job

    def answer(self, pipeline: Pipeline, watch: Watch) -> tuple[Cure, ...]:
        """The cures, each with what it brings."""
        return tried_cures(self.finding, self.job, pipeline, watch)


@dataclass(frozen=True)
class FindSavings:
    """Work out what would save most of a build."""

    job: Job

    def answer(self, pipeline: Pipeline, watch: Watch) -> tuple[Saving, ...]:
        """What saves most first."""
        return savings(self.job, pipeline.graph, watch)


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
class WriteLayers:
    """Write the machine file of a job; `as_text` and `smooths` as its formats know them."""

    job: Job
    out: Path
    as_text: bool = False
    smooths: bool = False

    def answer(self, pipeline: Pipeline, watch: Watch) -> tuple[Path, ...]:
        """The files written."""
        layers_path(self.out, self.job.machine.process)
        build = pipeline.graph.get(LAYERED_BUILD, None, self.job, Stretch(watch, 0, 0.6))
        return write_layers(build, self.out, Stretch(watch, 0.6, 1), as_text=self.as_text, smooths=self.smooths)


@dataclass(frozen=True, eq=False)
class Derive:
    """One result of the graph: a node about a subject of a job."""

    node: Node[Any]
    subject: Subject
    job: Job

    def answer(self, pipeline: Pipeline, watch: Watch) -> Any:
        """The result."""
        return pipeline.graph.get(self.node, self.subject, self.job, watch)


@dataclass(frozen=True, eq=False)
class MakeEdit:
    """An edit that takes its time: `make` is one of the core's edits with all but the job given."""

    job: Job
    make: Callable[[Job], Edit]

    def answer(self, pipeline: Pipeline, watch: Watch) -> Edit:
        """The edit."""
        return self.make(self.job)


@dataclass(frozen=True)
class MakeChange:
    """The edit of a cure that needs derived results."""

    change: Change
    job: Job

    def answer(self, pipeline: Pipeline, watch: Watch) -> Edit:
        """The edit."""
        return self.change.edit(self.job, pipeline, watch)
