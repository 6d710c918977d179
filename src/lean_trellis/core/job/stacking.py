"""What always holds of a job, whatever was edited: stacked parts stand over one another with their gap."""

from __future__ import annotations

from dataclasses import replace

from lean_trellis.core.job.job import Job
from lean_trellis.core.parts.stacking import Stack


def upheld(job: Job) -> Job:
    """The job with every stack put right from its lowest part upwards; the same job where nothing changes."""
    for stack in job.stacks:
        job = _restacked(job, stack)
    return job


def _restacked(job: Job, stack: Stack) -> Job:
    below = job.part(stack.parts[0])
    for part_id in stack.parts[1:]:
        height = float(below.bounds()[1, 2]) + stack.gap_mm(job.layer_height)
        part = job.part(part_id)
        pose = replace(part.pose, x=below.pose.x, y=below.pose.y, build_offset=height)
        if pose != part.pose:
            part = replace(part, pose=pose)
            job = job.with_part(part)
        below = part
    return job


def without(stacks: tuple[Stack, ...], gone: set[str]) -> tuple[Stack, ...]:
    """The stacks with some parts removed; what is left of one part alone is no stack."""
    kept = (replace(stack, parts=tuple(p for p in stack.parts if p not in gone)) for stack in stacks)
    return tuple(stack for stack in kept if len(stack.parts) > 1)
