"""Edits of parts: add, copy, describe, remove."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lean_trellis.core.errors import EditError
from lean_trellis.core.formats.body import Body
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.job import Job, fresh_id, fresh_name
from lean_trellis.core.parts.arrange import beside
from lean_trellis.core.parts.origin import Origin
from lean_trellis.core.parts.part import Part, copied
from lean_trellis.core.parts.pose import Pose


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
    """Remove parts with their supports."""
    gone = set(part_ids)
    parts = tuple(part for part in job.parts if part.id not in gone)
    supports = tuple(support for support in job.supports if support.part_id not in gone)
    title = f"Remove {job.part(part_ids[0]).name}" if len(part_ids) == 1 else f"Remove {len(part_ids)} parts"
    return Edit(title, replace(job, parts=parts, supports=supports))


def copy_part(job: Job, part_id: str, *, in_place: bool = False) -> Edit:
    """Copy a part with its supports: beside the others, or exactly in place."""
    part = job.part(part_id)
    names = [other.name for other in job.parts]
    again = copied(part, fresh_id("part", (other.id for other in job.parts)), fresh_name(part.name, names))
    if not in_place:
        again = beside(again, job.parts, job.machine.plate)
    supports = list(job.supports)
    for support in job.supports_of(part_id):
        supports.append(replace(support, id=fresh_id("support", (s.id for s in supports)), part_id=again.id))
    where = "in place" if in_place else "beside"
    return Edit(f"Copy {part.name} {where}", replace(job, parts=(*job.parts, again), supports=tuple(supports)))


def describe_part(job: Job, part_id: str, *, name: str | None = None, owner: str | None = None) -> Edit:
    """Change a part's name or owner."""
    part = job.part(part_id)
    if name is not None:
        if not name.strip():
            raise EditError(part.name, "a part needs a name", "type one")
        others = (other.name for other in job.parts if other.id != part_id)
        renamed = replace(part, name=fresh_name(name.strip(), others))
        return Edit(f"Rename {part.name} to {renamed.name}", job.with_part(renamed))
    return Edit(f"Set owner of {part.name} to {owner}", job.with_part(replace(part, owner=(owner or "").strip())))
