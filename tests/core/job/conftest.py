"""Jobs that several tests start from."""

from __future__ import annotations

import pytest

from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.sets import shipped_sets


@pytest.fixture
def job(metal):
    """A slab and a ball."""
    slab, round_one = box((20, 10, 5)), ball(6, subdivisions=2)
    bodies = [Body("slab", slab, len(slab.faces)), Body("ball", round_one, len(round_one.faces))]
    return edits.add_bodies(new_job(*metal, "Test"), bodies).job


@pytest.fixture
def used(library, metal):
    """A job with a support whose spacing differs from its set's."""
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((20, 10, 5)), 12)]).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    return edits.change_support(job, "support-1", "spacing", 4.4).job
