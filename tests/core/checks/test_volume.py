"""What stands outside the build volume."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import codes, job_of, supported, the_finding

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box


def test_outside_a_rectangular_plate_by_how_much_and_the_cure_brings_it_back(metal):
    job = edits.move_part(job_of(metal, box((20, 20, 5)), offset=2), "part-1", 255, 100).job
    found = the_finding(job, "outside_volume")
    assert found.value == pytest.approx(5)
    cure = found.cures[0]
    back = cure.change.edit(job, Pipeline()).job
    assert "outside_volume" not in codes(back)


def test_outside_a_round_plate(library):
    shop = library.machine("metal-120"), library.material("cobalt-chrome")
    job = edits.move_part(job_of(shop, box((20, 20, 5)), offset=0), "part-1", 112, 60).job
    assert the_finding(job, "outside_volume").value == pytest.approx(np.hypot(62, 10) - 60)
    inside_the_square = edits.move_part(job, "part-1", 15, 15).job
    assert "outside_volume" in codes(inside_the_square)


def test_too_high_and_supports_outside(metal):
    high = the_finding(job_of(metal, box((20, 20, 310)), offset=0), "outside_volume")
    assert (high.value, high.limit) == (pytest.approx(310), 300)
    at_edge = edits.move_part(supported(job_of(metal, box((20, 20, 5)))), "part-1", 10.0, 100).job
    found = the_finding(at_edge, "outside_volume")
    assert "support" in found.message
    assert 0 < found.value < 1
