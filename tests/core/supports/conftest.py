"""A job that tests of several families start from."""

from __future__ import annotations

import pytest

from lean_trellis.core.formats import Body
from lean_trellis.core.job import Job, edits, new_job
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.shop import Machine, Material


@pytest.fixture
def metal_job(metal: tuple[Machine, Material]) -> Job:
    """A slab and a ball lifted by 5 mm."""
    bodies = [Body("plate", box((24, 14, 5)), 12), Body("ball", ball(7, subdivisions=3), 1280)]
    job = edits.add_bodies(new_job(*metal), bodies).job
    return edits.set_build_offset(job, ["part-1", "part-2"], 5.0).job
