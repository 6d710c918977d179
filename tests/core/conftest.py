"""A job that tests of several packages start from."""

from __future__ import annotations

import pytest
from checked_parts import job_of

from lean_trellis.core.job import Job, edits
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import Machine, Material


@pytest.fixture
def pair(metal: tuple[Machine, Material]) -> Job:
    """A slab and a ball, each with bars, apart from one another."""
    job = job_of(metal, box((20, 10, 5)), ball(6, subdivisions=2))
    for part in job.parts:
        job = edits.add_support(job, part.id, shipped_sets()["bars-metal"]).job
    return edits.move_part(job, "part-2", 40, 40).job
