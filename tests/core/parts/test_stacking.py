"""Stacks keep their gaps."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts import Size


@given(
    st.integers(2, 5),
    st.integers(0, 6),
    st.lists(st.sampled_from(["turn", "size", "offset", "layer", "move", "mirror"]), max_size=5),
)
@settings(max_examples=20)
def test_a_stack_keeps_its_gaps_whatever_is_done_to_its_lowest_part(metal, count, gap, steps):
    job = edits.add_bodies(new_job(*metal), [Body("tile", box((12, 9, 3)), 12)]).job
    job = edits.stack_part(job, "part-1", count, gap).job
    for step in steps:
        match step:
            case "turn":
                job = edits.turn_part(job, "part-1", "x", 33).job
            case "size":
                job = edits.set_size(job, [p.id for p in job.parts], Size((1.1, 1.1, 1.3))).job
            case "offset":
                job = edits.set_build_offset(job, [job.parts[-1].id], 7.5).job
            case "layer":
                job = edits.set_layer_height(job, 0.06 if job.layer_height < 0.05 else 0.03).job
            case "move":
                job = edits.move_part(job, job.parts[-1].id, 90, 80).job
            case "mirror":
                job = edits.mirror_part(job, "part-1", "x").job
    members = [job.part(part_id) for part_id in job.stacks[0].parts]
    for lower, upper in pairwise(members):
        between = upper.bounds()[0, 2] - lower.bounds()[1, 2]
        assert between == pytest.approx(gap * job.layer_height, abs=1e-9)
    assert len({(round(p.pose.x, 9), round(p.pose.y, 9)) for p in members}) == 1
