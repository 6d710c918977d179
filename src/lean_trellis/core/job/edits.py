"""Edits: functions from job to job, each with a name that people can read."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import EditError
from lean_trellis.core.formats.body import Body
from lean_trellis.core.job.job import Job, fresh_id, fresh_name
from lean_trellis.core.parts.arrange import arranged, beside
from lean_trellis.core.parts.part import Part, copied
from lean_trellis.core.parts.pose import Pose, rotation_about, rotation_between
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Material
from lean_trellis.core.supports.bar_parameters import BarParameters
from lean_trellis.core.supports.support import RegionPick, Support


@dataclass(frozen=True)
class Edit:
    """What was done, in words, and the job that came out."""

    title: str
    job: Job


def add_bodies(
    job: Job, bodies: Sequence[Body], *, source: str = "", owner: str = "", keep_position: bool = False
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
            source=source,
        )
        parts.append(part if keep_position else beside(part, parts, job.machine.plate))
    what = bodies[0].name if len(bodies) == 1 else f"{len(bodies)} parts"
    return Edit(f"Add {what}", replace(job, parts=tuple(parts)))


def arrange_parts(job: Job) -> Edit:
    """Place all parts in rows round the plate's middle."""
    return Edit("Arrange parts", replace(job, parts=arranged(job.parts, job.machine.plate)))


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


def move_part(job: Job, part_id: str, x: float, y: float) -> Edit:
    """Put the middle of a part at x, y on the plate."""
    part = job.part(part_id)
    _require_finite(part.name, x, y)
    return Edit(f"Move {part.name}", job.with_part(replace(part, pose=replace(part.pose, x=x, y=y))))


def turn_part(job: Job, part_id: str, axis: str, degrees: float) -> Edit:
    """Turn a part about the plate's x, y or z through its middle; it keeps its build offset."""
    part = job.part(part_id)
    _require_finite(part.name, degrees)
    pose = part.pose.turned(rotation_about(axis, degrees))
    return Edit(f"Turn {part.name} by {degrees:g}° about {axis.upper()}", job.with_part(replace(part, pose=pose)))


def put_face_down(job: Job, part_id: str, face: int) -> Edit:
    """Turn a part so that the picked face of its mesh looks at the plate; the build offset stays."""
    part = job.part(part_id)
    if not 0 <= face < len(part.mesh.faces) or part.mesh.areas[face] == 0:
        raise EditError(part.name, "this face has no direction", "pick another one")
    normal: Floats = part.pose.matrix @ part.mesh.normals[face]
    pose = part.pose.turned(rotation_between(normal, np.array([0.0, 0.0, -1.0])))
    return Edit(f"Put a face of {part.name} down", job.with_part(replace(part, pose=pose)))


def set_build_offset(job: Job, part_ids: Sequence[str], offset: float) -> Edit:
    """Set the height of the lowest point above the plate, for one part or several."""
    _require_finite("build offset", offset)
    if offset < 0:
        raise EditError("build offset", f"{offset:g} mm would put the part below the plate", "give 0 or more")
    for part_id in part_ids:
        part = job.part(part_id)
        job = job.with_part(replace(part, pose=replace(part.pose, build_offset=float(offset))))
    what = job.part(part_ids[0]).name if len(part_ids) == 1 else f"{len(part_ids)} parts"
    return Edit(f"Set build offset of {what} to {offset:g} mm", job)


def set_angles(job: Job, part_ids: Sequence[str], critical: float | None, watch: float | None) -> Edit:
    """Set critical and watch angle of parts; None takes the material's again."""
    for angle in (critical, watch):
        if angle is not None and not 0 <= angle <= 90:
            raise EditError("angle", f"{angle:g}° is no surface angle", "give 0 to 90")
    for part_id in part_ids:
        job = job.with_part(replace(job.part(part_id), critical_angle=critical, watch_angle=watch))
    said = "the material's" if critical is None else f"{critical:g}°"
    return Edit(f"Set critical angle to {said}", job)


def choose_machine(job: Job, machine: Machine, material: Material) -> Edit:
    """Change the machine and, where its process differs, the material; the layer height follows the material."""
    if material.process != machine.process:
        raise EditError(machine.name, f"cannot build {material.name}", "choose a material of its process")
    title = f"Build on {machine.name} in {material.name}"
    return Edit(title, replace(job, machine=machine, material=material, layer_height=material.usual_layer_height))


def set_layer_height(job: Job, height: float) -> Edit:
    """Change the layer height within what the machine can make."""
    least, most = job.machine.layer_least, job.machine.layer_most
    if not least <= height <= most:
        raise EditError("layer height", f"{height:g} mm is outside what {job.machine.name} makes",
                        f"give {least:g} to {most:g} mm")  # fmt: skip
    return Edit(f"Set layer height to {height:g} mm", replace(job, layer_height=float(height)))


def rename_job(job: Job, name: str) -> Edit:
    """Give the job another name."""
    return Edit(f"Name the job {name}", replace(job, name=name.strip() or "Untitled"))


def add_support(
    job: Job,
    part_id: str,
    chosen_set: ParameterSet,
    target: tuple[RegionPick, ...] | None = None,
    parameters: BarParameters | None = None,
) -> Edit:
    """Add a support with a set's values (or `parameters` that differ from it) for a target."""
    part = job.part(part_id)
    support = Support(
        id=fresh_id("support", (support.id for support in job.supports)),
        part_id=part_id,
        parameters=parameters or chosen_set.parameters,
        set_name=chosen_set.name,
        set_version=chosen_set.version,
        target=target,
    )
    return Edit(f"Support {part.name} with {chosen_set.title}", replace(job, supports=(*job.supports, support)))


def change_support(job: Job, support_id: str, key: str, value: Any) -> Edit:
    """Change one value of a support. Raises `ParameterError` where it is out of range."""
    support = job.support(support_id)
    changed = support.parameters.with_value(key, value)
    assert isinstance(changed, BarParameters)
    label = next(known.label for known in BarParameters.declared() if known.key == key)
    return Edit(f"Change {label.lower()}", job.with_support(replace(support, parameters=changed)))


def use_set(job: Job, support_id: str, chosen_set: ParameterSet) -> Edit:
    """Give a support the values of another set."""
    support = replace(
        job.support(support_id),
        parameters=chosen_set.parameters,
        set_name=chosen_set.name,
        set_version=chosen_set.version,
    )
    return Edit(f"Use {chosen_set.title}", job.with_support(support))


def extend_target(job: Job, support_id: str, further: tuple[RegionPick, ...]) -> Edit:
    """Apply a support to further regions as well."""
    support = job.support(support_id)
    if support.target is None:
        raise EditError(support.set_name, "already serves every region of its part", "nothing to add")
    fresh = tuple(pick for pick in further if pick not in support.target)
    count = f"{len(fresh)} more region{'s' if len(fresh) != 1 else ''}"
    return Edit(f"Support {count}", job.with_support(replace(support, target=support.target + fresh)))


def remove_supports(job: Job, support_ids: Sequence[str]) -> Edit:
    """Remove supports; the part stays where it is, at its build offset."""
    gone = set(support_ids)
    kept = tuple(support for support in job.supports if support.id not in gone)
    what = "a support" if len(gone) == 1 else f"{len(gone)} supports"
    return Edit(f"Remove {what}", replace(job, supports=kept))


def _require_finite(subject: str, *numbers: float) -> None:
    if not all(np.isfinite(number) for number in numbers):
        raise EditError(subject, "this is no number", "type one, for example 12.5")
