"""What contacts carry: the metal demo, and forty scanned-like parts of two million triangles together."""

from __future__ import annotations

import time
from dataclasses import replace

import numpy as np

from lean_trellis.core.demo import metal_build
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import Job, edits, new_job
from lean_trellis.core.mesh.primitives import to_manifold, wavy_torus
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import shipped_library
from measured import Measured

_PARTS, _AROUND = 40, 158
_LEVELS = 72


def statics() -> list[Measured]:
    """Beside each: the same parts cut by manifold3d at as many levels, which is the least that a layer takes."""
    found = [_measured("metal demo", metal_build(shipped_library()), 2.0)]
    job = _crowd()
    faces = sum(len(part.mesh.faces) for part in job.parts)
    found.append(_measured(f"{_PARTS} parts, {faces:,} triangles", job, 15.0))
    pipeline = Pipeline(8 << 30)
    for part in job.parts:
        pipeline.statics(part.id, job)
    changed = edits.change_support(job, job.supports[3].id, "tip_diameter", 0.7).job
    pipeline.structure(changed.supports[3], changed)
    begin = time.perf_counter()
    for part in changed.parts:
        pipeline.statics(part.id, changed)
    after = time.perf_counter() - begin
    found.append(Measured("the same after one set changed", after, "", float("nan"), None))
    return found


def _crowd() -> Job:
    """Forty wavy rings of 50,000 triangles on bars."""
    library = shipped_library()
    mesh = wavy_torus(_AROUND, _AROUND)
    job = new_job(library.machine("metal-260"), library.material("steel-316l"))
    for number in range(_PARTS):
        job = edits.add_bodies(job, [Body(f"ring {number}", mesh.scaled(0.5 + 0.001 * number), 1)]).job
        part = job.parts[-1]
        job = job.with_part(
            replace(part, pose=replace(part.pose, x=20.0 + 30 * (number % 8), y=20.0 + 40 * (number // 8)))
        )
        job = edits.add_support(job, part.id, shipped_sets()["bars-metal"]).job
    return job


def _measured(name: str, job: Job, most: float) -> Measured:
    pipeline = Pipeline(8 << 30)
    for part in job.parts:
        pipeline.overhangs(part, job)
        for support in job.supports_of(part.id):
            pipeline.structure(support, job)
    begin = time.perf_counter()
    for part in job.parts:
        pipeline.statics(part.id, job)
    taken = time.perf_counter() - begin
    begin = time.perf_counter()
    for part in job.parts:
        placed = pipeline.placed(part)
        solid, (low, high) = to_manifold(placed), placed.bounds[:, 2]
        for level in np.linspace(low, high, _LEVELS + 2)[1:-1].tolist():
            solid.slice(level).decompose()
    cut = time.perf_counter() - begin
    return Measured(f"{name}: statics (asked {most:g} s)", taken, "72 cuts by manifold3d", cut, None)
