"""Stacks are put right whatever was edited."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import pytest

from lean_trellis.core.job import edits
from lean_trellis.core.job.stacking import upheld, without


def test_stacked_parts_follow_the_lowest_one_and_keep_their_gap(trio):
    job = edits.stack_part(trio, "part-1", 3, 2.0, "mm").job
    (stack,) = job.stacks
    low = job.part(stack.parts[0])
    moved = job.with_part(replace(low, pose=replace(low.pose, x=11.0, build_offset=7.0)))
    put_right = upheld(moved)
    heights = [put_right.part(part_id).bounds()[:, 2] for part_id in stack.parts]
    assert [above[0] - below[1] for below, above in pairwise(heights)] == pytest.approx([2, 2])
    assert {put_right.part(part_id).pose.x for part_id in stack.parts} == {11.0}
    assert upheld(put_right) is put_right


def test_what_is_left_of_one_part_alone_is_no_stack(trio):
    job = edits.stack_part(trio, "part-1", 3, 2.0, "mm").job
    (stack,) = job.stacks
    assert without(job.stacks, {stack.parts[1]})[0].parts == (stack.parts[0], stack.parts[2])
    assert without(job.stacks, set(stack.parts[1:])) == ()
