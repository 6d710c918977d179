"""Edits between builds: parts moved into a build of their own, and two builds made one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit, named
from lean_trellis.core.job.edits.parts import remove_parts
from lean_trellis.core.job.job import Job, fresh_id, fresh_name
from lean_trellis.core.supports.common.support import Support

_ALIKE_MM = 1e-9


def taken_out(job: Job, part_ids: Sequence[str], name: str) -> Job:
    """Some parts of a build as a build of their own, with pose, supports and waivers.

    Supports that they share with parts that stay go with them for those that go. Raises `EditError` without parts.
    """
    if not part_ids:
        raise EditError(job.name, "no part is selected", "select what shall go to another build")
    others = [part.id for part in job.parts if part.id not in set(part_ids)]
    kept = remove_parts(job, others).job if others else job
    return replace(kept, name=name, released=None, link=None, trials=())


def merge_builds(job: Job, other: Job) -> Edit:
    """Add the parts of another build, with pose, supports, stacks and waivers.

    Raises `EditError` that names what does not go together: process, material, layer height, mode, lot.
    """
    conflicts = merge_conflicts(job, other)
    if conflicts:
        raise EditError(other.name, f"cannot be merged: {'; '.join(conflicts)}", "bring one of the two in line first")
    parts, names, ids = list(job.parts), {part.name for part in job.parts}, {part.id for part in job.parts}
    new: dict[str, str] = {}
    for part in other.parts:
        new[part.id] = part.id if part.id not in ids else fresh_id("part", ids | set(new.values()))
        ids.add(new[part.id])
        name = fresh_name(part.name, names)
        names.add(name)
        group = f"{other.name}: {part.group}" if part.group else ""
        parts.append(replace(part, id=new[part.id], name=name, group=group))
    supports, taken = list(job.supports), {one.id for one in job.supports}
    for one in other.supports:
        support_id = one.id if one.id not in taken else fresh_id("support", taken)
        taken.add(support_id)
        supports.append(_renamed(one, support_id, new))
    stacks, stack_ids = list(job.stacks), {one.id for one in job.stacks}
    for stack in other.stacks:
        stack_id = stack.id if stack.id not in stack_ids else fresh_id("stack", stack_ids)
        stack_ids.add(stack_id)
        stacks.append(replace(stack, id=stack_id, parts=tuple(new[one] for one in stack.parts)))
    waivers = (*job.waivers, *(replace(one, part_id=new.get(one.part_id, one.part_id)) for one in other.waivers))
    merged = replace(job, parts=tuple(parts), supports=tuple(supports), stacks=tuple(stacks), waivers=waivers)
    for used in other.sets:
        merged = merged.with_set(used)
    return Edit(f"Merge {named(other, [part.id for part in other.parts]) if other.parts else other.name}", merged)


def merge_conflicts(job: Job, other: Job) -> list[str]:
    """What two builds differ in that one build has but once, in words."""
    conflicts = []
    if job.machine.process != other.machine.process:
        return [f"it is for {other.machine.name}, this build for {job.machine.name}"]
    if job.material.id != other.material.id:
        conflicts.append(f"its material is {other.material.name}, here it is {job.material.name}")
    if abs(job.layer_height - other.layer_height) > _ALIKE_MM:
        conflicts.append(f"its layers are {other.layer_height:g} mm high, here {job.layer_height:g} mm")
    if job.mode != other.mode:
        conflicts.append(f"its mode is {other.mode}, here it is {job.mode}")
    if job.lot and other.lot and job.lot != other.lot:
        conflicts.append(f"its lot is {other.lot}, here it is {job.lot}")
    if (job.support_every, job.first_layer) != (other.support_every, other.first_layer):
        conflicts.append("first layer or support layers are others")
    return conflicts


def _renamed(support: Support, support_id: str, new: dict[str, str]) -> Support:
    others = tuple(new[one] for one in support.others)
    return replace(support, id=support_id, part_id=new[support.part_id], others=others)
