"""One file of a batch: read, arranged, supported by the recipe, saved; a pure function from bytes to bytes."""

from __future__ import annotations

import hashlib
import tempfile
import time
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from lean_trellis.core.derive import Pipeline, apply_recipe
from lean_trellis.core.derive.prepared import prepared_parts
from lean_trellis.core.errors import AccessError, TrellisError
from lean_trellis.core.formats import read_bodies
from lean_trellis.core.job.edits import Applied, add_bodies, arrange_parts, set_build_offset
from lean_trellis.core.job.files import SUFFIX, open_job, save_job
from lean_trellis.core.job.job import Job, new_job
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.sets.recipe import Recipe, recipe_text
from lean_trellis.core.sets.text import set_text
from lean_trellis.core.shop.library import Library
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Material

_NOT_SUPPORTED = ("region_not_held", "island_not_held")


@dataclass(frozen=True)
class Order:
    """What is done with every file: the recipe, the sets that it names, machine and material, the unit of files.

    A file that is a job keeps the machine and material that it has.
    """

    recipe: Recipe
    sets: Mapping[str, ParameterSet]
    machine: Machine
    material: Material
    units: str = "mm"

    def mark(self) -> str:
        """The same text for the same order, another for any other: what was done under one need not be done again."""
        texts = [recipe_text(self.recipe), *(set_text(one) for _, one in sorted(self.sets.items()))]
        texts += [self.machine.model_dump_json(), self.material.model_dump_json(), self.units]
        return hashlib.sha256("\0".join(texts).encode()).hexdigest()[:16]


@dataclass(frozen=True)
class BatchPiece:
    """One file of a batch, and what is done with it; its `content` travels with it where the file cannot be reached."""

    order: Order
    path: Path
    content: bytes | None = None

    def with_content(self) -> BatchPiece:
        """The same with what the file holds. Raises `AccessError`."""
        try:
            return replace(self, content=self.path.read_bytes())
        except OSError as problem:
            raise AccessError.of(self.path, problem, "read") from problem


@dataclass(frozen=True)
class Done:
    """What came of a piece: the job as a file's content, or why there is none; figures as `prepare` gives them."""

    ok: bool
    reason: str = ""
    job: bytes = b""
    parts: tuple[dict[str, Any], ...] = ()
    seconds: float = 0.0
    figures: Mapping[str, float] = field(default_factory=dict)
    """regions, supports, left_alone, untaken, not_supported, strength_used, stops, volume_mm3."""


def do_piece(piece: BatchPiece) -> Done:
    """Do one piece. Faults of the file or of the recipe are in the answer; nothing is written, nothing else is read."""
    begin = time.perf_counter()
    try:
        done = _done(piece)
    except TrellisError as problem:
        done = Done(ok=False, reason=" ".join(str(problem).split()))
    except Exception as problem:  # noqa: BLE001 - whatever one part does, the batch goes on and says which it was
        done = Done(ok=False, reason=f"{piece.path}: {type(problem).__name__}: {problem}")
    return replace(done, seconds=time.perf_counter() - begin)


def _done(piece: BatchPiece) -> Done:
    order, pipeline = piece.order, Pipeline()
    with tempfile.TemporaryDirectory(prefix="lean-trellis-") as folder:
        job = _job_of(piece, Path(folder))
        accounts: list[Applied] = []
        for part in job.parts:
            accounts.append(apply_recipe(job, part.id, order.recipe, order.sets, pipeline.graph))
            job = accounts[-1].edit.job
        parts = prepared_parts(job, pipeline)
        findings = pipeline.findings(job)
        out = Path(folder) / f"out{SUFFIX}"
        save_job(job, out)
        content = out.read_bytes()
    supports = [entry for part in parts for entry in part["supports"]]
    figures = {
        "regions": sum(part["regions"] for part in parts),
        "supports": len(supports),
        "left_alone": sum(len(numbers) for one in accounts for numbers in one.left_alone.values()),
        "untaken": sum(len(one.untaken) for one in accounts),
        "not_supported": sum(finding.code in _NOT_SUPPORTED for finding in findings),
        "strength_used": max((entry["strength_used"] for entry in supports), default=0.0),
        "stops": sum(finding.severity == "stop" for finding in findings),
        "volume_mm3": sum(entry["volume_mm3"] for entry in supports),
    }
    return Done(ok=True, job=content, parts=tuple(parts), figures=figures)


def _job_of(piece: BatchPiece, folder: Path) -> Job:
    """The job that the file is, or a new one with the bodies that it holds, on their build offset."""
    order, path = piece.order, piece.path
    if piece.content is not None:
        path = folder / piece.path.name
        path.write_bytes(piece.content)
    try:
        if path.suffix == SUFFIX:
            return open_job(path, Library({order.machine.id: order.machine}, {order.material.id: order.material}))
        bodies = read_bodies(path, unit=order.units)
    except TrellisError as problem:  # by the name that people know, not by that of the copy
        raise TrellisError(piece.path, problem.what, problem.cure) from None
    job = add_bodies(new_job(order.machine, order.material, path.stem), list(bodies), file=str(piece.path)).job
    job = set_build_offset(job, [part.id for part in job.parts], order.material.build_offset).job
    return arrange_parts(job).job
