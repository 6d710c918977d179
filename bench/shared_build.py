"""A shared build of forty parts and two million triangles: checked at once, and again after one change."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from lean_trellis.core.derive.layers import PART_LAYERS, SUPPORT_LAYERS
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import Job, edits, new_job
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import shipped_library
from measured import Measured

PARTS, COLUMNS, PITCH = 40, 8, 26.0


def blob(seed: int) -> Mesh:
    """A ball of 82,000 faces, or 20,000, with waves of its own, 18 mm across."""
    fine = ball(9.0, subdivisions=6 if seed % 5 < 3 else 5)
    chance = np.random.default_rng(seed)
    ways = chance.normal(size=(5, 3))
    ways /= np.linalg.norm(ways, axis=1)[:, None]
    directions = fine.vertices / np.linalg.norm(fine.vertices, axis=1)[:, None]
    waves = np.sin(directions @ ways.T * chance.uniform(2, 5, 5)).sum(axis=1)
    return Mesh(fine.vertices * (1 + 0.03 * waves)[:, None], fine.faces)


def build() -> Job:
    """Forty supported blobs in rows, of four owners."""
    library = shipped_library()
    job = new_job(library.machine("metal-260"), library.material("steel-316l"), "forty")
    bodies = [Body(f"blob {n}", mesh, len(mesh.faces)) for n in range(PARTS) for mesh in (blob(n),)]
    job = edits.add_bodies(job, bodies).job
    parts = tuple(
        replace(part, owner=f"owner {n % 4}", pose=replace(
            part.pose, x=30 + PITCH * (n % COLUMNS), y=30 + PITCH * (n // COLUMNS), build_offset=4.0))
        for n, part in enumerate(job.parts)
    )  # fmt: skip
    job = replace(job, parts=parts)
    for part in job.parts:
        job = edits.add_support(job, part.id, shipped_sets()["bars-metal"]).job
    return job


def shared_build() -> list[Measured]:
    """The first check with slices there, and checks after single changes; the limits are 20 s and 2 s."""
    job, pipeline = build(), Pipeline(4_000_000_000)
    faces = sum(len(part.mesh.faces) for part in job.parts)
    begin = time.perf_counter()
    for part in job.parts:
        pipeline.graph.get(PART_LAYERS, part, job)
    for support in job.supports:
        pipeline.graph.get(SUPPORT_LAYERS, support, job)
    cut = time.perf_counter() - begin
    begin = time.perf_counter()
    pipeline.findings(job)
    took = time.perf_counter() - begin
    what = f"{len(job.parts)} parts, {faces:,} triangles checked"
    found = [Measured(what, took, "their supports and slices", cut, 20.0)]
    changes: dict[str, Callable[[Job], Job]] = {
        "checked again after a part was moved": lambda job: (
            edits.move_part(job, job.parts[11].id, job.parts[11].pose.x + 1, 56.0).job
        ),
        "after a value was changed": lambda job: edits.change_support(job, job.supports[3].id, "spacing", 3.1).job,
        "after an owner was named": lambda job: edits.describe_part(job, job.parts[5].id, owner="another").job,
    }
    for words, change in changes.items():
        job = change(job)
        begin = time.perf_counter()
        pipeline.findings(job)
        found.append(Measured(words, time.perf_counter() - begin, "the first check", took, 2.0))
    return found
