"""Edits of parts: add, copy, describe, remove."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace

import numpy as np

from lean_trellis.core.errors import EditError
from lean_trellis.core.formats.body import UNIT_MM, Body
from lean_trellis.core.job.edits.edit import Edit, named, require_free
from lean_trellis.core.job.job import Job, fresh_id, fresh_name
from lean_trellis.core.job.stacking import without
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.arrange import beside
from lean_trellis.core.parts.origin import Origin
from lean_trellis.core.parts.part import Part, with_nominal, with_size
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.parts.size import Size
from lean_trellis.core.supports.common.support import Support


def add_bodies(
    job: Job, bodies: Sequence[Body], *, file: str = "", owner: str = "", keep_position: bool = False
) -> Edit:
    """Add each body as a part at the material's build offset, beside what is there.

    With `keep_position`, x and y are as read.
    """
    parts = list(job.parts)
    for body in bodies:
        middle = body.mesh.middle
        pose = Pose(x=float(middle[0]), y=float(middle[1]), build_offset=job.material.build_offset)
        part = Part(
            id=fresh_id("part", (part.id for part in parts)),
            name=fresh_name(body.name, (part.name for part in parts)),
            mesh=body.mesh,
            pose=pose,
            owner=owner,
            origin=origin_of(file, body),
        )
        parts.append(part if keep_position else beside(part, parts, job.machine.plate))
    what = bodies[0].name if len(bodies) == 1 else f"{len(bodies)} parts"
    return Edit(f"Add {what}", replace(job, parts=tuple(parts)))


def origin_of(file: str, body: Body) -> Origin:
    """What is remembered of where a body came from."""
    return Origin(file, body.place, body.unit, body.unit_is_from, body.tolerance_mm)


def remove_parts(job: Job, part_ids: Sequence[str]) -> Edit:
    """Remove parts with their supports; a stack closes over those that are gone."""
    gone = set(part_ids)
    title = f"Remove {named(job, list(part_ids))}"
    parts = tuple(part for part in job.parts if part.id not in gone)
    supports = tuple(entry for support in job.supports if (entry := _left_of(support, gone)) is not None)
    waivers = tuple(waiver for waiver in job.waivers if waiver.part_id not in gone)
    left = replace(job, parts=parts, supports=supports, stacks=without(job.stacks, gone), waivers=waivers)
    return Edit(title, left)


def describe_part(job: Job, part_id: str, *, name: str | None = None, owner: str | None = None) -> Edit:
    """Change a part's name, its owner, or both."""
    if name is None:
        return describe_parts(job, (part_id,), owner=owner)
    part = job.part(part_id)
    if owner is not None:
        job = describe_parts(job, (part_id,), owner=owner).job
        part = job.part(part_id)
    if not name.strip():
        raise EditError(part.name, "a part needs a name", "type one")
    others = (other.name for other in job.parts if other.id != part_id)
    renamed = replace(part, name=fresh_name(name.strip(), others))
    return Edit(f"Rename {part.name} to {renamed.name}", job.with_part(renamed))


def describe_parts(job: Job, part_ids: Sequence[str], *, owner: str | None = None, order: str | None = None) -> Edit:
    """Set owner or order of several parts at once."""
    for part_id in part_ids:
        part = job.part(part_id)
        part = replace(part, owner=part.owner if owner is None else owner.strip())
        job = job.with_part(replace(part, order=part.order if order is None else order.strip()))
    fields = (("owner", owner), ("order", order))
    said = " and ".join(f"{key} {value or 'none'}" for key, value in fields if value is not None)
    return Edit(f"Set {said} for {named(job, list(part_ids))}", job)


def flag_parts(
    job: Job, part_ids: Sequence[str], *, is_hidden: bool | None = None, is_locked: bool | None = None
) -> Edit:
    """Hide, show, lock or unlock parts. A hidden part is still built; a locked one is not moved or turned."""
    words = []
    for part_id in part_ids:
        part = job.part(part_id)
        if is_hidden is not None:
            part = replace(part, is_hidden=is_hidden)
        if is_locked is not None:
            part = replace(part, is_locked=is_locked)
        job = job.with_part(part)
    if is_hidden is not None:
        words.append("Hide" if is_hidden else "Show")
    if is_locked is not None:
        words.append("Lock" if is_locked else "Unlock")
    return Edit(f"{' and '.join(words)} {named(job, list(part_ids))}", job)


def group_parts(job: Job, part_ids: Sequence[str]) -> Edit:
    """Make parts a group, which is moved and turned together."""
    if len(part_ids) < 2:
        raise EditError("group", "takes two parts or more", "select more of them")
    name = fresh_id("group", {part.group for part in job.parts if part.group})
    title = f"Group {named(job, list(part_ids))}"
    for part_id in part_ids:
        job = job.with_part(replace(job.part(part_id), group=name))
    return Edit(title, job)


def ungroup_parts(job: Job, part_ids: Sequence[str]) -> Edit:
    """Take the groups of these parts apart; stacks of them too. Everything stays where it is."""
    groups = {job.part(part_id).group for part_id in part_ids} - {""}
    stacks = tuple(stack for stack in job.stacks if not set(part_ids) & set(stack.parts))
    if not groups and len(stacks) == len(job.stacks):
        raise EditError(named(job, list(part_ids)), "belong to no group or stack", "nothing to do")
    for part in job.parts:
        if part.group in groups:
            job = job.with_part(replace(part, group=""))
    return Edit(f"Ungroup {named(job, list(part_ids))}", replace(job, stacks=stacks))


def replace_mesh(job: Job, part_id: str, nominal: Mesh, title: str, *, origin: Origin | None = None) -> Edit:
    """Give a part another mesh and keep pose, owner, order and supports.

    With an `origin` it is a revised file, whose middle goes where the old one was; without, the same shape worked
    upon, which stays where it is.
    """
    part = job.part(part_id)
    if not len(nominal.faces):
        raise EditError(part.name, "nothing would be left", "undo, or choose other values")
    changed = with_nominal(part, nominal, keeps_place=origin is None)
    return Edit(title, job.with_part(changed if origin is None else replace(changed, origin=origin)))


def mirror_part(job: Job, part_id: str, axis: str) -> Edit:
    """Mirror a part across a plane through its middle, square to the plate's x, y or z."""
    part = job.part(part_id)
    require_free(job, job.companions(part_id))
    flip = np.ones(3)
    flip[0] = -1
    nominal = part.nominal_mesh
    mirrored = Mesh(nominal.vertices * flip, nominal.faces[:, ::-1])
    across = np.ones(3)
    across["xyz".index(axis)] = -1
    # M R v = (M R F) (F v) with F the flip of the part's own x: M R F is a turn, F v the mirrored mesh.
    turn = np.diag(across) @ part.pose.matrix @ np.diag(flip)
    changed = with_nominal(part, mirrored, keeps_place=False)
    pose = replace(changed.pose, rotation=Pose().rotation).turned(turn)
    job = job.with_part(replace(changed, pose=pose, marks=changed.marks.scaled(flip)))
    for support in job.supports_of(part_id):
        job = job.with_support(support.scaled(flip))
    return Edit(f"Mirror {part.name} in {axis.upper()}", job)


def set_size(job: Job, part_ids: Sequence[str], size: Size) -> Edit:
    """Set scale and shrinkage stages; what supports mean on the surface goes with it."""
    title = f"Set size of {named(job, list(part_ids))}"
    for part_id in part_ids:
        part = job.part(part_id)
        ratio = size.factors / part.size.factors
        job = job.with_part(with_size(part, size))
        for support in job.supports_of(part_id):
            job = job.with_support(support.scaled(ratio))
    return Edit(title, job)


def retake_unit(job: Job, part_ids: Sequence[str], unit: str) -> Edit:
    """Read the lengths of the parts' files in another unit: everything is larger or smaller by the ratio."""
    title = f"Take {named(job, list(part_ids))} in {unit}"
    for part_id in part_ids:
        part = job.part(part_id)
        ratio = UNIT_MM[unit] / UNIT_MM[part.origin.unit]
        changed = with_nominal(part, part.nominal_mesh.scaled(ratio), keeps_place=False)
        origin = replace(part.origin, unit=unit, unit_is_from="user")
        job = job.with_part(replace(changed, origin=origin, marks=changed.marks.scaled(np.full(3, ratio))))
        for support in job.supports_of(part_id):
            job = job.with_support(support.scaled(np.full(3, ratio)))
    return Edit(title, job)


def _left_of(support: Support, gone: Collection[str]) -> Support | None:
    """A support once parts are gone: one that several share goes on with those that stay."""
    kept = [part_id for part_id in support.parts if part_id not in gone]
    return replace(support, part_id=kept[0], others=tuple(kept[1:])) if kept else None


def thicken_parts(job: Job, part_ids: Sequence[str], *, is_on: bool = True) -> Edit:
    """Build what is too thin of parts at the least width, or as it is drawn again."""
    for part_id in part_ids:
        job = job.with_part(replace(job.part(part_id), thickens=is_on))
    how = "at the least width" if is_on else "as it is drawn"
    return Edit(f"Build what is thin {how}", job)
