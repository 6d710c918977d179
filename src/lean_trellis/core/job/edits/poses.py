"""Edits of how parts stand: move, turn, lift, arrange. The build offset stays unless it is what is edited."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit, require_finite
from lean_trellis.core.job.job import Job
from lean_trellis.core.parts.arrange import arranged
from lean_trellis.core.parts.pose import rotation_about, rotation_between


def arrange_parts(job: Job) -> Edit:
    """Place all parts in rows round the plate's middle."""
    return Edit("Arrange parts", replace(job, parts=arranged(job.parts, job.machine.plate)))


def move_part(job: Job, part_id: str, x: float, y: float) -> Edit:
    """Put the middle of a part at x, y on the plate."""
    part = job.part(part_id)
    require_finite(part.name, x, y)
    return Edit(f"Move {part.name}", job.with_part(replace(part, pose=replace(part.pose, x=x, y=y))))


def turn_part(job: Job, part_id: str, axis: str, degrees: float) -> Edit:
    """Turn a part about the plate's x, y or z through its middle; it keeps its build offset."""
    part = job.part(part_id)
    require_finite(part.name, degrees)
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
    require_finite("build offset", offset)
    if offset < 0:
        raise EditError("build offset", f"{offset:g} mm would put the part below the plate", "give 0 or more")
    for part_id in part_ids:
        part = job.part(part_id)
        job = job.with_part(replace(part, pose=replace(part.pose, build_offset=float(offset))))
    what = job.part(part_ids[0]).name if len(part_ids) == 1 else f"{len(part_ids)} parts"
    return Edit(f"Set build offset of {what} to {offset:g} mm", job)
