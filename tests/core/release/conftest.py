"""Small builds on their way to release."""

from __future__ import annotations

from datetime import date

import pytest
from checked_parts import job_of

from lean_trellis.core.checks.waiving import waiver_of
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import Job, edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.release.releasing import ReleaseWish
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import Library

TODAY = date(2026, 6, 1)


@pytest.fixture(scope="session")
def pipeline() -> Pipeline:
    """One for all: results of small builds stay."""
    return Pipeline()


@pytest.fixture(scope="session")
def shared(library: Library) -> Job:
    """A bracket of Otterbank's on extruded bars, one value changed, and a tile of Tern's on the plate behind it."""
    machine = library.machine("filament-320")
    job = job_of((machine, library.material("pla")), box((16, 10, 4)), box((12, 12, 3)), offset=0.0)
    job = edits.describe_part(job, "part-1", name="Bracket <a&b>", owner="Otterbank Survey").job
    job = edits.describe_part(job, "part-2", name="Tile", owner="Tern Street Organs").job
    job = edits.describe_parts(job, ["part-1"], order="FW-1").job
    job = edits.move_part(job, "part-1", 100.0, 100.0).job
    job = edits.move_part(job, "part-2", 100.0, 130.0).job
    job = edits.set_build_offset(job, ["part-1"], 3.0).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-extrusion"]).job
    job = edits.change_support(job, job.supports[0].id, "spacing", 4.5).job
    job = edits.set_layer_height(job, max(layer.height for layer in job.material.layers)).job
    return edits.rename_job(edits.set_lot(job, "L-7").job, "Friday").job


@pytest.fixture(scope="session")
def wish(shared: Job, pipeline: Pipeline) -> ReleaseWish:
    """What a release of it takes; its stops are waived in `released_job`."""
    return ReleaseWish(pipeline.findings(shared), "A. Rowan", TODAY)


@pytest.fixture(scope="session")
def free(shared: Job, wish: ReleaseWish) -> Job:
    """The shared build with every stop waived by somebody."""
    stops = [one for one in wish.findings if one.severity == "stop"]
    waivers = [waiver_of(one, shared, who="B. Alder", reason="seen on the machine") for one in stops]
    return edits.waive(shared, waivers).job if waivers else shared
