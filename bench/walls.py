"""Walls and bodies: a fine lattice under a curved surface, all supports of the metal demo, its checks."""

from __future__ import annotations

import time

import numpy as np
import shapely

from lean_trellis.core.demo import metal_build
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.primitives import wavy_plate
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import full_library, shipped_library
from lean_trellis.core.supports.panels.panels import Panels
from measured import Measured


def walls() -> list[Measured]:
    results = []
    for thickness in (0.0, 0.2):
        job = _lattice_job(thickness)
        taken, made = _generated(job)
        kind = "sheets" if thickness == 0 else "solids"
        what = f"lattice of {made.counted.number:,} {kind} in {made.piece_count} pieces, 60 x 60 mm at 1 mm, curved"
        plain, share = _by_polygons(made)
        results.append(
            Measured(what, taken, f"its panels put together by shapely alone ({share:.0%} timed, scaled)", plain, 2.0)
        )
        begin = time.perf_counter()
        faces = len(made.mesh.faces)
        results.append(
            Measured(f"the same as {faces:,} triangles", time.perf_counter() - begin, "", float("nan"), None)
        )
    job = metal_build(full_library())
    pipeline = Pipeline()
    for part in job.parts:
        pipeline.overhangs(part, job)
    begin = time.perf_counter()
    for support in job.supports:
        pipeline.structure(support, job)
    results.append(Measured("all supports of the metal demo", time.perf_counter() - begin, "", float("nan"), 4.0))
    return results


def _lattice_job(thickness: float) -> Job:
    library = shipped_library()
    job = new_job(library.machine("metal-260"), library.material("steel-316l"))
    mesh = wavy_plate()
    job = edits.add_bodies(job, [Body("plate", mesh, len(mesh.faces))]).job
    job = edits.set_build_offset(job, ["part-1"], 8.0).job
    chosen = shipped_sets()["lattice-metal"]
    values = {"cell_along": 1.0, "cell_across": 1.0, "open_share": 0.4, "largest_piece": 10.0, "thickness": thickness}
    parameters = chosen.parameters
    for key, value in values.items():
        parameters = parameters.with_value(key, value)
    return edits.add_support(job, "part-1", chosen, None, parameters).job


def _generated(job: Job) -> tuple[float, Panels]:
    taken = []
    for _ in range(2):
        pipeline = Pipeline()
        pipeline.overhangs(job.parts[0], job)
        pipeline.tree(job.parts[0].mesh).prepare()
        begin = time.perf_counter()
        made = pipeline.structure(job.supports[0], job)
        taken.append(time.perf_counter() - begin)
    assert isinstance(made, Panels)
    return min(taken), made


def _by_polygons(made: Panels) -> tuple[float, float]:
    """The time that shapely takes to unite the slabs of some walls to panels with their openings, for all walls."""
    slabs = made.slabs
    chosen = np.flatnonzero(slabs.walls % 10 == 0)
    left = np.arange(len(slabs))[chosen].astype(float)
    corners = np.stack([
        np.column_stack([left, slabs.low[chosen, 0]]), np.column_stack([left + 1, slabs.low[chosen, 1]]),
        np.column_stack([left + 1, slabs.high[chosen, 1]]), np.column_stack([left, slabs.high[chosen, 0]]),
    ], axis=1)  # fmt: skip
    begin = time.perf_counter()
    shapely.union_all(shapely.polygons(corners))
    share = len(chosen) / len(slabs)
    return (time.perf_counter() - begin) / share, share
