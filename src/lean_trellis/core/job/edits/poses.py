"""Edits of how parts stand: move, turn, lift, align, arrange. The build offset stays unless it is what is edited."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit, named, require_finite, require_free
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.patch import Plane
from lean_trellis.core.parts.aligning import middle_of, turned_together
from lean_trellis.core.parts.arrange import arranged
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.pose import Pose, rotation_about, rotation_between
from lean_trellis.core.parts.tilt import Tilt

Frame = Literal["plate", "own"]
Pivot = Literal["each", "together", "plate"]
_DOWN = np.array([0.0, 0.0, -1.0])


def arrange_parts(job: Job) -> Edit:
    """Place all parts that are not locked in rows round the plate's middle; what belongs together stays together."""
    if any(part.is_locked or part.group for part in job.parts) or job.stacks:
        raise EditError("arrange", "parts are locked, grouped or stacked", "arrange them by their footprints")
    return Edit("Arrange parts", replace(job, parts=arranged(job.parts, job.machine.plate)))


def place_parts(job: Job, poses: Mapping[str, Pose], title: str = "Arrange parts") -> Edit:
    """Give parts the poses that were found for them."""
    for part_id, pose in poses.items():
        job = job.with_part(replace(job.part(part_id), pose=pose))
    return Edit(title, job)


def move_part(job: Job, part_id: str, x: float, y: float) -> Edit:
    """Put the middle of a part at x, y on the plate; its group and stack go with it."""
    part = job.part(part_id)
    require_finite(part.name, x, y)
    return Edit(f"Move {part.name}", _shifted(job, (part_id,), x - part.pose.x, y - part.pose.y))


def _shifted(job: Job, part_ids: Sequence[str], dx: float, dy: float) -> Job:
    everyone = _with_companions(job, part_ids)
    require_free(job, everyone)
    for other_id in everyone:
        other = job.part(other_id)
        pose = replace(other.pose, x=other.pose.x + dx, y=other.pose.y + dy)
        job = job.with_part(replace(other, pose=pose))
    return job


def turn_part(job: Job, part_id: str, axis: str, degrees: float) -> Edit:
    """Turn a part about the plate's x, y or z through its middle; it keeps its build offset."""
    return turn_parts(job, (part_id,), axis, degrees)


def turn_parts(
    job: Job,
    part_ids: Sequence[str],
    axis: str,
    degrees: float,
    *,
    frame: Frame = "plate",
    pivot: Pivot | tuple[float, float] = "each",
) -> Edit:
    """Turn parts by degrees about an axis of the plate or each about an axis of its own.

    `pivot`: through each part's own middle, through the middle of all of them together, through the plate's
    middle, or through a place (x, y) on the plate. The lowest of what is turned together stays as high as it was.
    """
    require_finite("degrees", degrees)
    ids = _with_companions(job, part_ids)
    require_free(job, ids)
    about = f"{'its own ' if frame == 'own' else ''}{axis.upper()}"
    title = f"Turn {named(job, list(part_ids))} by {degrees:g}° about {about}"
    if pivot == "each":
        for group in _wholes(job, ids):
            parts = [job.part(part_id) for part_id in group]
            job = _with_parts(job, turned_together(parts, _rotation(parts[0], axis, degrees, frame), middle_of(parts))
                              if len(parts) > 1 else [_turned_alone(parts[0], axis, degrees, frame)])  # fmt: skip
        return Edit(title, job)
    parts = [job.part(part_id) for part_id in ids]
    through = _pivot_place(job, parts, pivot)
    return Edit(title, _with_parts(job, turned_together(parts, _rotation(parts[0], axis, degrees, frame), through)))


def _turned_alone(part: Part, axis: str, degrees: float, frame: Frame) -> Part:
    return replace(part, pose=part.pose.turned(_rotation(part, axis, degrees, frame)))


def _rotation(part: Part, axis: str, degrees: float, frame: Frame) -> Floats:
    turn = rotation_about(axis, degrees)
    if frame == "plate":
        return turn
    own = part.pose.matrix
    result: Floats = own @ turn @ own.T
    return result


def _pivot_place(job: Job, parts: Sequence[Part], pivot: Pivot | tuple[float, float]) -> Floats:
    middle = middle_of(parts)
    if pivot == "together":
        return middle
    x, y = job.machine.plate.middle if isinstance(pivot, str) else pivot
    require_finite("pivot", x, y)
    return np.array([x, y, middle[2]])


def _with_companions(job: Job, part_ids: Sequence[str]) -> tuple[str, ...]:
    return tuple(dict.fromkeys(other for part_id in part_ids for other in job.companions(part_id)))


def _wholes(job: Job, part_ids: Sequence[str]) -> list[tuple[str, ...]]:
    """The parts in sets of those that belong together."""
    return list(dict.fromkeys(job.companions(part_id) for part_id in part_ids))


def _with_parts(job: Job, parts: Sequence[Part]) -> Job:
    for part in parts:
        job = job.with_part(part)
    return job


def put_face_down(job: Job, part_id: str, face: int) -> Edit:
    """Turn a part so that the selected face of its mesh looks at the plate; the build offset stays."""
    return face_to_angle(job, part_id, face, 0.0)


def face_to_angle(job: Job, part_id: str, face: int, degrees: float) -> Edit:
    """Turn a part so that the selected face makes an angle with the plate: 0 looks down, 90 is a wall, 180 looks up.

    The shortest turn is taken: the side to which the face looks stays.
    """
    part = job.part(part_id)
    require_finite("angle", degrees)
    if not 0 <= degrees <= 180:
        raise EditError("angle", f"{degrees:g}° is no angle from the plate", "give 0 to 180")
    if not 0 <= face < len(part.mesh.faces) or part.mesh.areas[face] == 0:
        raise EditError(part.name, "this face has no direction", "choose another one")
    normal: Floats = part.pose.matrix @ part.mesh.normals[face]
    across = normal * [1, 1, 0]
    length = float(np.linalg.norm(across))
    across = across / length if length > 1e-9 else np.array([1.0, 0.0, 0.0])
    wanted = np.cos(np.radians(degrees)) * _DOWN + np.sin(np.radians(degrees)) * across
    said = f"Put a face of {part.name} down" if degrees == 0 else f"Put a face of {part.name} at {degrees:g}°"
    return Edit(said, _turned_to(job, part_id, normal, wanted))


def stand_at(job: Job, part_id: str, tilt: Tilt, degrees: float) -> Edit:
    """Turn a part so that its plane or long axis is at an angle to the plate, 0 to 90 degrees; `tilt` is how it is now.

    It turns about the level direction across to the one that rises, so that it keeps looking the same way.
    """
    part = job.part(part_id)
    require_finite("angle", degrees)
    if not 0 <= degrees <= 90:
        raise EditError("angle", f"{degrees:g}° is no angle to the plate", "give 0 to 90")
    if tilt.of == "none":
        raise EditError(part.name, "is compact and has no angle to the plate", "turn it by degrees")
    level_way = tilt.rise * [1, 1, 0]
    length = float(np.linalg.norm(level_way))
    level_way = level_way / length if length > 1e-9 else np.array([1.0, 0.0, 0.0])
    wanted = np.cos(np.radians(degrees)) * level_way - np.sin(np.radians(degrees)) * _DOWN
    return Edit(f"Stand {part.name} at {degrees:g}°", _turned_to(job, part_id, tilt.rise, wanted))


def name_load(job: Job, part_ids: Sequence[str], direction: Sequence[float] | None) -> Edit:
    """Name the direction of the main load in use, in the plate's frame as the parts stand; None forgets it."""
    for part_id in part_ids:
        part = job.part(part_id)
        own = None
        if direction is not None:
            wanted = np.asarray(direction, np.float64)
            length = float(np.linalg.norm(wanted))
            require_finite("load", *wanted.tolist())
            if length <= 0:
                raise EditError("load", "has no direction", "give x, y and z, not all 0")
            x, y, z = (part.pose.matrix.T @ wanted / length).round(9).tolist()
            own = (x, y, z)
        job = job.with_part(replace(part, load=own))
    what = "Forget the load of" if direction is None else "Name the load of"
    return Edit(f"{what} {named(job, list(part_ids))}", job)


def lay_load_flat(job: Job, part_id: str) -> Edit:
    """Turn a part by the least angle that brings its load into the plane of the layers."""
    part = job.part(part_id)
    require_free(job, job.companions(part_id))
    if part.load is None:
        raise EditError(part.name, "has no load named", "name its direction at Pose")
    direction, normal = part.pose.matrix @ np.array(part.load), np.array(job.machine.layer_normal)
    flat = direction - (direction @ normal) * normal
    if np.linalg.norm(flat) < 1e-6:  # straight across: any way down will do
        flat = np.cross(normal, [0.0, 1.0, 0.0])
    turn = rotation_between(direction, flat / np.linalg.norm(flat))
    return Edit(f"Lay the load of {part.name} within the layers",
                job.with_part(replace(part, pose=part.pose.turned(turn))))  # fmt: skip


def level(job: Job, part_id: str, plane: Plane) -> Edit:
    """Turn a part so that a plane of its own (mesh coordinates) lies level, by the shortest turn."""
    part = job.part(part_id)
    normal: Floats = part.pose.matrix @ plane.normal
    return Edit(f"Level {part.name}", _turned_to(job, part_id, normal, -_DOWN if normal[2] > 0 else _DOWN))


def _turned_to(job: Job, part_id: str, direction: Floats, wanted: Floats) -> Job:
    ids = job.companions(part_id)
    require_free(job, ids)
    parts = [job.part(other) for other in ids]
    turn = rotation_between(direction, wanted)
    if len(parts) == 1:
        return job.with_part(replace(parts[0], pose=parts[0].pose.turned(turn)))
    return _with_parts(job, turned_together(parts, turn, middle_of(parts)))


def pose_part(job: Job, part_id: str, rotation: Floats, title: str) -> Edit:
    """Turn a part to a (3, 3) rotation from its own coordinates; middle and build offset stay."""
    part = job.part(part_id)
    require_free(job, (part_id,))
    pose = replace(part.pose, rotation=Pose().rotation).turned(rotation)
    return Edit(title, job.with_part(replace(part, pose=pose)))


def set_build_offset(job: Job, part_ids: Sequence[str], offset: float) -> Edit:
    """Set the height of the lowest point above the plate, for one part or several; a stack's lowest part is meant."""
    require_finite("build offset", offset)
    if offset < 0:
        raise EditError("build offset", f"{offset:g} mm would put the part below the plate", "give 0 or more")
    for part_id in part_ids:
        stack = job.stack_of(part_id)
        part = job.part(part_id if stack is None else stack.parts[0])
        job = job.with_part(replace(part, pose=replace(part.pose, build_offset=float(offset))))
    return Edit(f"Set build offset of {named(job, list(part_ids))} to {offset:g} mm", job)


def drop_parts(job: Job, part_ids: Sequence[str]) -> Edit:
    """Put parts down on the plate: build offset 0. Only ever on the user's word."""
    edit = set_build_offset(job, part_ids, 0.0)
    return Edit(f"Drop {named(job, list(part_ids))} to the plate", edit.job)


def centre_parts(job: Job, part_ids: Sequence[str], axes: str = "xy", *, on_part: str = "") -> Edit:
    """Bring the middle of parts, taken together, over the plate's middle or another part's, in x, in y or in both."""
    parts = [job.part(part_id) for part_id in part_ids]
    target = middle_of([job.part(on_part)]) if on_part else np.array([*job.machine.plate.middle, 0.0])
    step = target - middle_of(parts)
    dx, dy = (float(step[place]) if axis in axes else 0.0 for place, axis in enumerate("xy"))
    where = job.part(on_part).name if on_part else "the plate"
    return Edit(f"Centre {named(job, list(part_ids))} on {where}", _shifted(job, part_ids, dx, dy))


def stand_on(job: Job, part_id: str, on_part: str, room_mm: float, clearance: float) -> Edit:
    """Lift or lower a part so that it stays `clearance` mm above another one's surface (negative: goes in).

    `room_mm` is by how much it may sink now before it meets that part.
    """
    require_finite("clearance", clearance, room_mm)
    offset = job.part(part_id).pose.build_offset - room_mm + clearance
    if offset < 0:
        raise EditError(job.part(part_id).name, "would go below the plate", "ask for more clearance")
    edit = set_build_offset(job, (part_id,), offset)
    return Edit(f"Stand {job.part(part_id).name} on {job.part(on_part).name}", edit.job)
