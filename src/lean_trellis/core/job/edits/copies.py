"""Edits that make more of a part: beside, in place, in a grid, upwards as a stack."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Literal

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit, require_finite
from lean_trellis.core.job.job import Job, fresh_id, fresh_name
from lean_trellis.core.parts.arrange import beside
from lean_trellis.core.parts.part import Part, copied
from lean_trellis.core.parts.stacking import Separator, Spacer, Stack

MOST_COPIES = 500


def copy_part(job: Job, part_id: str, *, in_place: bool = False) -> Edit:
    """Copy a part with its supports: beside the others, or exactly in place."""
    part = job.part(part_id)
    job, again = _with_copy(job, part)
    if not in_place:
        job = job.with_part(beside(again, [other for other in job.parts if other.id != again.id], job.machine.plate))
    return Edit(f"Copy {part.name} {'in place' if in_place else 'beside'}", job)


def _with_copy(job: Job, part: Part) -> tuple[Job, Part]:
    """The job with one copy more, exactly in place, alone and free, its supports copied too; and the copy."""
    names = [other.name for other in job.parts]
    again = copied(part, fresh_id("part", (other.id for other in job.parts)), fresh_name(part.name, names))
    again = replace(again, group="", is_locked=False)
    supports = list(job.supports)
    for support in job.supports_of(part.id):
        supports.append(replace(support, id=fresh_id("support", (s.id for s in supports)), part_id=again.id, others=()))
    return replace(job, parts=(*job.parts, again), supports=tuple(supports)), again


def copy_in_grid(job: Job, part_id: str, columns: int, rows: int, gap_mm: float) -> Edit:
    """Copies of a part in `columns` along x and `rows` along y, the part itself the first, boxes `gap_mm` apart."""
    part = job.part(part_id)
    require_finite("gap", gap_mm)
    if columns < 1 or rows < 1 or not 2 <= columns * rows <= MOST_COPIES:
        raise EditError("grid", f"{columns} by {rows} is no grid to copy into", f"give 2 to {MOST_COPIES} in all")
    if gap_mm < 0:
        raise EditError("gap", f"{gap_mm:g} mm would let copies overlap", "give 0 or more")
    low, high = part.bounds()
    step_x, step_y = float(high[0] - low[0]) + gap_mm, float(high[1] - low[1]) + gap_mm
    for number in range(1, columns * rows):
        row, column = divmod(number, columns)
        job, again = _with_copy(job, part)
        pose = replace(part.pose, x=part.pose.x + column * step_x, y=part.pose.y + row * step_y)
        job = job.with_part(replace(again, pose=pose))
    return Edit(f"Copy {part.name} into {columns} by {rows}", job)


def stack_part(
    job: Job,
    part_id: str,
    count: int,
    gap: float,
    unit: Literal["layers", "mm"] = "layers",
    filling: Separator | Spacer | None = None,
) -> Edit:
    """Put copies on a part until `count` stand on one another; supports stay with the lowest alone."""
    part = job.part(part_id)
    if not 2 <= count <= MOST_COPIES:
        raise EditError("stack", f"{count} parts are no stack", f"give 2 to {MOST_COPIES}")
    if job.stack_of(part_id) is not None:
        raise EditError(part.name, "is already in a stack", "change that one")
    members = [part_id]
    for _ in range(count - 1):
        supports = job.supports
        job, again = _with_copy(job, part)
        job = replace(job, supports=supports)
        members.append(again.id)
    stack = Stack(fresh_id("stack", (known.id for known in job.stacks)), tuple(members), gap, unit, filling)
    return Edit(f"Stack {count} of {part.name}", replace(job, stacks=(*job.stacks, stack)))


def change_stack(job: Job, stack_id: str, stack: Stack) -> Edit:
    """Give a stack another gap or filling."""
    stacks: Sequence[Stack] = [stack if known.id == stack_id else known for known in job.stacks]
    return Edit("Change the stack", replace(job, stacks=tuple(stacks)))
