"""A shared build by owner."""

from __future__ import annotations

from dataclasses import replace

import pytest
from checked_parts import job_of

from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.release.owners import owner_shares, reached_by


@pytest.fixture
def shares(shared, pipeline):
    stop = Finding("warp", "stop", "Tile", "m", "c", part_id="part-2")
    estimate = pipeline.graph.get(ESTIMATE, None, shared)
    return owner_shares(shared, estimate, [stop]), estimate


def test_shares_sum_up_to_the_build(shares):
    (otterbank, tern), estimate = shares
    assert (otterbank.owner, otterbank.parts, otterbank.orders) == ("Otterbank Survey", ("Bracket <a&b>",), ("FW-1",))
    assert otterbank.time_share + tern.time_share == pytest.approx(1.0)
    assert otterbank.cost + tern.cost == pytest.approx(estimate.cost)
    assert otterbank.volume_mm3 == pytest.approx(16 * 10 * 4, rel=1e-3)
    assert otterbank.support_mm3 > 0
    assert tern.support_mm3 == 0
    assert (otterbank.is_ready, tern.is_ready, tern.stops) == (True, False, 1)


def test_parts_without_an_owner_are_nobodys(shared, pipeline):
    job = edits.describe_part(shared, "part-2", owner="").job
    assert owner_shares(job, pipeline.graph.get(ESTIMATE, None, job), [])[1].owner == "no owner"


def in_a_row(library, machine, direction=90.0):
    kind = library.machine(machine)
    if kind.process == "powder_bed":
        kind = kind.model_copy(update={"blade_direction_deg": direction})
    job = job_of((kind, library.materials_for(kind)[0]), *[box((10, 10, 5))] * 4, offset=0.0)
    for part, (x, y) in zip(job.parts, [(60, 40), (60, 80), (60, 20), (100, 80)], strict=True):
        job = edits.move_part(job, part.id, float(x), float(y)).job
    return job


@pytest.mark.parametrize(("direction", "reached"), [(90.0, ("part 2",)), (270.0, ("part 3",)), (0.0, ())])
def test_the_blade_drags_what_is_loose_over_what_lies_behind_it(library, direction, reached):
    job = in_a_row(library, "metal-260", direction)
    assert reached_by(job, job.parts[0]) == reached


@pytest.mark.parametrize(("gap", "reached"), [(9.9, ("part 2",)), (10.1, ())])
def test_in_a_vat_what_stands_near_is_reached(library, gap, reached):
    job = in_a_row(library, "vat-150")
    job = replace(job, parts=job.parts[:2])
    job = edits.move_part(job, "part-2", 60.0, 40.0 + 10.0 + gap).job
    assert reached_by(job, job.parts[0]) == reached


def test_a_fault_that_reaches_other_owners_is_told_and_of_ones_own_is_not(library, pipeline):
    job = in_a_row(library, "metal-260")
    for part_id, owner in (("part-1", "A"), ("part-2", "B"), ("part-3", "A"), ("part-4", "B")):
        job = edits.describe_part(job, part_id, owner=owner).job
    a, b = owner_shares(job, pipeline.graph.get(ESTIMATE, None, job), [])
    assert (a.threatens, b.threatens) == (("part 2",), ())
