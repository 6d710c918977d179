"""Lots that orders ask for."""

from __future__ import annotations

import pytest
from checked_parts import codes, job_of, the_finding

from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box


@pytest.fixture
def job(metal):
    return job_of(metal, box((20, 20, 5)), box((10, 10, 5)), offset=0.0)


def test_no_order_asks_for_a_lot(job):
    assert "lots_differ" not in codes(edits.set_lot(job, "L-7").job)


@pytest.mark.parametrize(("lot", "said"), [("L-7", None), ("L-8", "this build is of lot L-8"), ("", "names no lot")])
def test_a_part_whose_order_asks_for_a_lot(job, lot, said):
    job = edits.set_lot(edits.set_order_lot(job, ["part-2"], "L-7").job, lot).job
    if said is None:
        assert "lots_differ" not in codes(job)
        return
    found = the_finding(job, "lots_differ")
    assert (found.severity, found.part_id) == ("stop", "part-2")
    assert "asks for lot L-7" in found.message
    assert said in found.message
