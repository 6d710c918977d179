"""What families say of their supports, as findings."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from checked_parts import codes, job_of, supported, the_finding

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.marks import KEEP_OFF


def test_hold_points_without_a_way_and_the_cure_that_gives_them_one(metal, shelf):
    job = supported(job_of(metal, shelf, offset=0), landing="plate_only")
    found = the_finding(job, "bar_no_way")
    assert found.severity == "caution"
    cure = found.cures[0]
    cured = cure.change.edit(job, Pipeline()).job
    still = [one.message for one in Pipeline().findings(cured) if one.code == "bar_no_way"]
    assert all("too close to another bar" in message for message in still)
    assert len(Pipeline().bars(cured.supports[0], cured).missed.holds) < 0.02 * 400


def test_a_height_limit_that_leaves_holds_bare_is_told_and_cured(metal):
    job = edits.turn_part(job_of(metal, box((40, 20, 3))), "part-1", "y", 30).job
    job = supported(job, height_limit=12.0)
    found = the_finding(job, "limit_leaves_bare")
    assert (found.limit, found.value > 12) == (12.0, True)
    cured = edits.change_support(job, found.support_id, "height_limit", None).job
    assert "limit_leaves_bare" not in codes(cured)


def test_a_bar_through_a_part_is_found_by_an_own_measure(metal):
    from lean_trellis.core.checks.families import check_families
    from lean_trellis.core.checks.state import BuildState

    job = supported(job_of(metal, box((20, 20, 5)), box((6, 6, 3)), offset=8))
    job = edits.remove_supports(job, ["support-2"]).job
    state = Pipeline().state(job)
    beneath = replace(job.part("part-2"), pose=replace(job.part("part-1").pose, build_offset=1.0))
    pushed = Pipeline().state(job.with_part(beneath))
    # The bars of before, with the other part pushed under them since.
    mixed = BuildState(pushed.job, pushed.parts, state.supports)
    found = [finding for finding in check_families(mixed) if finding.code == "support_through_part"]
    assert len(found) == 1
    assert found[0].part == "part 2"
    assert found[0].value < found[0].limit
    assert not [f for f in check_families(state) if f.code == "support_through_part"]


def test_bars_go_round_a_part_that_stands_under_them(metal):
    job = supported(job_of(metal, box((20, 20, 5)), offset=12))
    alone = Pipeline().bars(job.supports[0], job)
    job = edits.add_bodies(job, [Body("low", box((6, 6, 3)), 12)]).job
    low = replace(job.parts[-1], pose=replace(job.part("part-1").pose, build_offset=0.0))
    both = Pipeline().bars(job.supports[0], job.with_part(low))
    assert (both.leans_deg > 1).any(), "they lean round it"
    straight = edits.change_support(job.with_part(low), "support-1", "lean_limit", 0).job
    assert (Pipeline().bars(straight.supports[0], straight).landings == 1).any(), "or stand on the part"
    assert len(both) + len(both.missed.holds) == len(alone)


def test_a_support_that_cannot_serve_anything_is_told_and_not_silent(metal):
    job = supported(job_of(metal, box((20, 20, 5)), offset=8))
    mesh = job.parts[0].mesh
    under = np.flatnonzero(mesh.normals[:, 2] < -0.5)
    protected = edits.protect_faces(job, "part-1", under, KEEP_OFF).job
    assert {"support_empty", "region_not_held"} <= set(codes(protected))
    high = supported(job_of(metal, box((20, 20, 5)), offset=8), height_limit=3.0)
    assert {"limit_leaves_bare", "region_not_held"} <= set(codes(high))


def test_bars_that_stay_slender_in_spite_of_braces_are_told(metal):
    job = supported(job_of(metal, box((2, 2, 2)), offset=40), "bars-metal-braced", spacing=20.0)
    job = edits.change_support(job, "support-1", "rim_row", False).job
    (found,) = [one for one in Pipeline().findings(job) if one.code == "bar_slender" and one.unit == "mm"]
    assert found.limit == 22
    assert found.value == pytest.approx(40, abs=4)


def test_a_trunk_or_brace_through_a_part_is_found(metal):
    from lean_trellis.core.checks.families import check_families
    from lean_trellis.core.checks.state import BuildState

    job = supported(job_of(metal, box((20, 20, 5)), box((4, 4, 12)), offset=30), join="on")
    job = edits.remove_supports(job, ["support-2"]).job
    state = Pipeline().state(job)
    trunks = state.supports[0].structure.trunks
    x, y = trunks.centres[int(trunks.contacts.argmax()), 3, :2].tolist()
    moved = replace(job.part("part-2"), pose=replace(job.part("part-1").pose, x=x, y=y, build_offset=4.0))
    placed = replace(state.parts[1], part=moved, overhangs=Pipeline().overhangs(moved, job))
    found = list(check_families(BuildState(job, (state.parts[0], placed), state.supports)))
    assert "support_through_part" in {finding.code for finding in found}
