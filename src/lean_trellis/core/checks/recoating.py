"""`recoater_edge`: long straight walls that the blade meets along their whole length at once."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.checks.changes import TurnBy
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.strength.actions import blade_ways, constant_of

_SQUARE_DEG = 5.0
_UPRIGHT = 0.5
"""Walls that lean by more than 30° are met layer by layer: assumed."""
_TURN_DEG = 10.0


def check_recoating(state: BuildState) -> Iterator[Finding]:
    """A caution for the longest wall of a part that lies square to the blade's travel."""
    machine = state.job.machine
    if machine.process != "powder_bed" or machine.blade_direction_deg is None:
        return
    limit = constant_of(state.job.constants, "blade_edge")
    way = blade_ways(machine)[0]
    for part in state.subjects:
        lengths, places = walls_square_to(part, way)
        if not len(lengths) or lengths.max() <= limit.value:
            continue
        worst = int(lengths.argmax())
        yield Finding(
            "recoater_edge", "caution", part.part.name,
            f"the blade meets an edge of {lengths[worst]:.1f} mm along its whole length; limit {limit.value:g} mm",
            cause="a straight wall lies square to the blade's travel", at_mm=tuple(places[worst].tolist()),
            value=float(lengths[worst]), limit=limit.value, unit="mm", source=limit.source, part_id=part.part.id,
            cures=(Cure(f"Turn it by {_TURN_DEG:g}° on the plate", TurnBy(part.part.id, "z", _TURN_DEG)),),
        )  # fmt: skip


def walls_square_to(part: PartState, way: Floats) -> tuple[Floats, Floats]:
    """Of each wall square to a level way (3,): its length (w,) across that, mm, and a place (w, 3) on its top."""
    mesh = part.overhangs.mesh
    normals = mesh.normals
    flat = np.hypot(normals[:, 0], normals[:, 1])
    square = np.abs(normals @ way) >= np.cos(np.radians(_SQUARE_DEG)) * np.maximum(flat, 1e-12)
    faces = np.flatnonzero(square & (np.abs(normals[:, 2]) <= _UPRIGHT) & (mesh.areas > 0))
    if not len(faces):
        return np.zeros(0), np.zeros((0, 3))
    walls = _connected(mesh.faces[faces].astype(np.int64), len(mesh.vertices))
    count = int(walls.max()) + 1
    edge = np.array([-way[1], way[0], 0.0])
    corners = mesh.vertices[mesh.faces[faces]]
    along = corners @ edge
    low, high = np.full(count, np.inf), np.full(count, -np.inf)
    np.minimum.at(low, walls, along.min(axis=1))
    np.maximum.at(high, walls, along.max(axis=1))
    highest = np.full(count, -np.inf)
    np.maximum.at(highest, walls, corners[:, :, 2].max(axis=1))
    middles = np.stack([np.bincount(walls, corners[:, :, axis].mean(axis=1), count) for axis in range(3)], axis=1)
    places = middles / np.bincount(walls, minlength=count)[:, None]
    places[:, 2] = highest
    return high - low, places


def _connected(faces: Longs, count: int) -> Longs:
    """(m,): the wall of each face: faces with a corner in common are of one."""
    ends = np.concatenate([faces[:, :2], faces[:, 1:]])
    labels = components_of(count, ends[:, 0], ends[:, 1])[faces[:, 0]]
    _, numbers = np.unique(labels, return_inverse=True)
    result: Longs = numbers.reshape(-1).astype(np.int64)
    return result
