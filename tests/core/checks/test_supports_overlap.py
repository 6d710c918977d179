"""Supports built into each other: slivers count, what only touches does not."""

from __future__ import annotations

import pytest

from lean_trellis.core.checks.changes import SetValue
from lean_trellis.core.checks.supports_overlap import check_supports_overlap
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.sets import shipped_sets


@pytest.mark.parametrize(("apart", "shared"), [(9.95, 0.05 * 10 * 5), (10.0, 0.0), (12.0, 0.0)])
def test_two_blocks_side_by_side_share_what_their_places_say(metal, apart, shared):
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((40, 20, 4)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 5.0).job
    plain = shipped_sets()["block-plain"]
    for x in (0.0, apart):
        values = plain.parameters.with_value("size_x", 10.0).with_value("size_y", 10.0).with_value("place_x", x)
        job = edits.add_support(job, "part-1", plain, None, values).job
    found = list(check_supports_overlap(Pipeline().state(job)))
    assert len(found) == (shared > 0)
    if shared:
        assert found[0].value == pytest.approx(shared, rel=0.1)


def test_room_is_offered_only_where_a_support_can_make_it(metal):
    job = edits.add_bodies(new_job(*metal), [Body("slab", box((40, 20, 4)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 5.0).job
    job = edits.add_support(job, "part-1", shipped_sets()["bars-metal"]).job
    block = shipped_sets()["block-plain"]
    (found,) = check_supports_overlap(Pipeline().state(edits.add_support(job, "part-1", block).job))
    assert all(cure.change is None for cure in found.cures)
    walls = edits.add_support(job, "part-1", shipped_sets()["lattice-metal"]).job
    walls = edits.change_support(walls, "support-2", "trim", "none").job
    (found,) = check_supports_overlap(Pipeline().state(walls))
    (change,) = [cure.change for cure in found.cures if cure.change is not None]
    assert change == SetValue("support-2", "trim", "bars")
    assert list(check_supports_overlap(Pipeline().state(change.edit(walls, Pipeline()).job))) == []
