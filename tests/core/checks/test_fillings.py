"""What lies between the parts of a stack keeps to the plate and out of zones, too."""

from __future__ import annotations

from dataclasses import replace

import pytest
from checked_parts import job_of

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.stacking import Spacer, Stack
from lean_trellis.core.shop.machine import Zone


def found(metal, x):
    """Two slabs of 10 mm with a spacer of 30 mm between them; codes of findings on the filling."""
    machine, material = metal
    clamp = Zone(name="clamp", x=100.0, y=0.0, width=10.0, depth=220.0)
    machine = machine.model_copy(update={"keep_out": (clamp,), "purge_tower": None})
    job = job_of((machine, material), box((10, 10, 5)), box((10, 10, 5)), offset=0.0)
    stack = Stack("stack-1", ("part-1", "part-2"), 4.0, "mm", Spacer("spacer", box((30, 30, 2))))
    for part in job.parts:
        job = edits.move_part(job, part.id, x, 110.0).job
    job = replace(job, stacks=(stack,))
    return sorted(one.code for one in Pipeline().findings(job) if "filling" in one.message)


@pytest.mark.parametrize(("x", "codes"), [
    (84.9, []), (85.1, ["keep_out"]), (15.1, []), (14.9, ["outside_volume"]),
])  # fmt: skip
def test_a_spacer_just_inside_and_just_outside(metal, x, codes):
    assert found(metal, x) == codes
