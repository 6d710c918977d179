"""What planning proposes for a job: poses for a part, places for parts; and the edits that take it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits import Edit, place_parts, pose_part, remove_parts
from lean_trellis.core.job.job import Job
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.pose import rotation_about, rotation_between
from lean_trellis.core.parts.tilt import main_axis
from lean_trellis.core.planning.arrange import Arranged, ArrangeRequest, Piece, arrange
from lean_trellis.core.planning.footprint import covered_places
from lean_trellis.core.planning.pose_search import PoseRequest
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch

_SPACING_MM = 0.35


def pose_request(job: Job, part_id: str, *, keeps_range: bool = True, height_limit: float | None = None) -> PoseRequest:
    """What a search for poses of this part needs; with `keeps_range` within the material's pose range."""
    part = job.part(part_id)
    axis = main_axis(part.mesh)
    return PoseRequest(
        part.mesh,
        part.pose.matrix,
        job.critical_angle(part),
        build_offset=part.pose.build_offset,
        pose_range=job.material.pose_range if keeps_range and axis.of != "none" else None,
        main_axis=axis.direction,
        main_is_normal=axis.of == "plane",
        height_limit=job.machine.height if height_limit is None else height_limit,
        protected=None if part.marks.protected is None else part.marks.protected.values > 0,
    )


def take_pose(job: Job, part_id: str, up: Floats) -> Edit:
    """Turn a part the shortest way so that its own direction `up` (3,) points up."""
    part = job.part(part_id)
    now: Floats = part.pose.matrix @ up
    turn = rotation_between(now, np.array([0.0, 0.0, 1.0]))
    return pose_part(job, part_id, turn @ part.pose.matrix, f"Pose {part.name} as found")


@dataclass(frozen=True)
class ArrangeWishes:
    """How parts are to be arranged: which (none: all that are free), apart by what, turned in which steps."""

    parts: tuple[str, ...] = ()
    clearance: float = 3.0
    step_deg: float = 45.0
    preference: float = 0.3
    margin: float = 0.0


@dataclass(frozen=True)
class Arrangement:
    """The edit, the parts that found no room, and footprint over the area of the rectangle round all of it."""

    edit: Edit
    left_over: tuple[str, ...]
    density: float


def arrangement(job: Job, wishes: ArrangeWishes, pipeline: Pipeline, watch: Watch = UNWATCHED) -> Arrangement:
    """Places for the parts asked for by their footprints, supports included; groups and stacks stay together.

    Locked parts and those not asked for stay and take up room. Raises `EditError` where nothing is free to move.
    """
    asked = set(wishes.parts) or {part.id for part in job.parts}
    pieces, members = [], {}
    wholes = list(dict.fromkeys(job.companions(part.id) for part in job.parts))
    for number, whole in enumerate(wholes):
        watch.at(0.5 * number / len(wholes), f"taking the footprint of {job.part(whole[0]).name}")
        parts = [job.part(part_id) for part_id in whole]
        is_fixed = not asked & set(whole) or any(part.is_locked for part in parts)
        pieces.append(_piece(job, parts, pipeline, is_fixed=is_fixed, margin=wishes.margin))
        members[whole[0]] = whole
    if all(piece.is_fixed for piece in pieces):
        raise EditError("arrange", "no part is free to move", "unlock some, or add parts")
    machine = job.machine
    request = ArrangeRequest(
        machine.plate,
        clearance=wishes.clearance,
        step_deg=wishes.step_deg,
        blade_deg=machine.blade_direction_deg,
        flow_deg=machine.gas_flow_deg,
        preference=wishes.preference,
        zones=tuple((zone.x, zone.y, zone.width, zone.depth) for zone in machine.zones),
    )
    arranged = arrange(pieces, request, Stretch(watch, 0.5, 1))
    return Arrangement(_taken(job, pieces, members, arranged), arranged.left_over, arranged.density)


def further_plates(
    job: Job, left_over: Sequence[str], wishes: ArrangeWishes, pipeline: Pipeline, watch: Watch = UNWATCHED
) -> tuple[Job, ...]:
    """Jobs on the same machine and material for the parts that found no room, a plate each, arranged.

    Raises `EditError` for parts that find no room on an empty plate either.
    """
    plates: list[Job] = []
    while left_over:
        stretch = Stretch(watch, 1 - 0.5 ** len(plates), 1 - 0.5 ** (len(plates) + 1))
        rest = _with_parts_alone(job, left_over, f"{job.name}, plate {len(plates) + 2}")
        next_plate = arrangement(rest, replace(wishes, parts=()), pipeline, stretch)
        if len(next_plate.left_over) == len(left_over):
            names = ", ".join(job.part(part_id).name for part_id in left_over[:3])
            raise EditError("arrange", f"{names} do not fit on an empty plate", "turn them, or take a larger machine")
        wholes = [part_id for key in next_plate.left_over for part_id in rest.companions(key)]
        plates.append(remove_parts(next_plate.edit.job, wholes).job if wholes else next_plate.edit.job)
        left_over = next_plate.left_over
    return tuple(plates)


def _with_parts_alone(job: Job, kept: Sequence[str], name: str) -> Job:
    """The job with some parts, their groups and stacks, and nothing else."""
    whole = {other for part_id in kept for other in job.companions(part_id)}
    rest = remove_parts(job, [part.id for part in job.parts if part.id not in whole]).job
    return replace(rest, name=name)


def _piece(job: Job, parts: Sequence[Part], pipeline: Pipeline, *, is_fixed: bool, margin: float) -> Piece:
    places = [covered_places(pipeline.placed(part), _SPACING_MM) for part in parts]
    for part in parts:
        for support in job.supports_of(part.id):
            made = pipeline.structure(support, job)
            if not made.is_empty:
                places.append(np.unique(np.round(made.mesh.vertices[:, :2] / _SPACING_MM), axis=0) * _SPACING_MM)
    points = np.concatenate(places)
    if margin > 0:
        turns = np.linspace(0, 2 * np.pi, 17)[:-1]
        ring = margin * np.column_stack([np.cos(turns), np.sin(turns)])
        rim = _outermost(points)
        points = np.concatenate([points, (rim[:, None] + ring).reshape(-1, 2)])
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    top = max(float(part.bounds()[1, 2]) for part in parts)
    return Piece(parts[0].id, points, (float(middle[0]), float(middle[1])), top, _long_edge(points), is_fixed)


def _outermost(points: Floats) -> Floats:
    """Of the points of a grid those with a neighbour missing, roughly: the first and last of each row and column."""
    places = []
    for axis in (0, 1):
        keys = np.round(points[:, axis] / _SPACING_MM).astype(np.int64)
        order = np.lexsort((points[:, 1 - axis], keys))
        starts = np.flatnonzero(np.append(True, np.diff(keys[order]) != 0))
        places += [points[order[starts]], points[order[np.append(starts[1:], len(order)) - 1]]]
    return np.concatenate(places)


def _long_edge(points: Floats) -> float:
    """Direction in degrees of the longer side of the narrowest rectangle round the points."""
    turns = np.radians(np.arange(0, 90, 2.0))
    sides = [np.stack([np.cos(turns), np.sin(turns)]), np.stack([-np.sin(turns), np.cos(turns)])]
    spans = [np.ptp(points @ side, axis=0) for side in sides]
    best = int(np.argmin(spans[0] * spans[1]))
    along = np.degrees(turns[best])
    return float(along if spans[0][best] >= spans[1][best] else along + 90)


def _taken(job: Job, pieces: Sequence[Piece], members: dict[str, tuple[str, ...]], arranged: Arranged) -> Edit:
    poses = {}
    for piece in pieces:
        if piece.key not in arranged.places:
            continue
        x, y, degrees = arranged.places[piece.key]
        turn = rotation_about("z", degrees)
        middle = np.array(piece.middle)
        for part_id in members[piece.key]:
            pose = job.part(part_id).pose
            moved = turn[:2, :2] @ (np.array([pose.x, pose.y]) - middle) + [x, y]
            turned = pose.turned(turn) if degrees else pose
            poses[part_id] = replace(turned, x=float(moved[0]), y=float(moved[1]))
    return place_parts(job, poses)
