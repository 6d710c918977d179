"""`too_near`: is there enough room between parts that are built side by side?"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import numpy as np

from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.mesh.sampling import places_on
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.strength.actions import constant_of

_LEAST_MM3 = 1e-3


def check_nearness(state: BuildState) -> Iterator[Finding]:
    """A caution for each pair of parts with too little between them; those of one stack are meant to be close."""
    limit = constant_of(state.job.constants, "part_gap")
    for one, other in combinations(state.parts, 2):
        if not state.is_looked_at(one.part.id) or _in_one_stack(state, one, other):
            continue
        closest = gap_between(one, other, limit.value)
        if closest is None or closest[0] >= limit.value - LIMIT_SPARE:
            continue
        gap, at = closest
        yield Finding(
            "too_near", "caution", one.part.name,
            f"{gap:.2f} mm from {other.part.name}; {limit.value:g} mm required",
            cause="what melts or cures one of them reaches the other", at_mm=at, value=gap, limit=limit.value,
            unit="mm", source=limit.source, part_id=one.part.id, cures=(Cure("Move one of them", about="parts"),),
        )  # fmt: skip


def _in_one_stack(state: BuildState, one: PartState, other: PartState) -> bool:
    stack = state.job.stack_of(one.part.id)
    return stack is not None and other.part.id in stack.parts


def gap_between(one: PartState, other: PartState, within: float) -> tuple[float, tuple[float, float, float]] | None:
    """The least distance between two parts, mm, and a place in it; None beyond `within`, and where they overlap.

    Exact for sound meshes; of others the distance of places spread over them, a quarter of `within` apart.
    """
    meshes = one.overhangs.mesh, other.overhangs.mesh
    low = np.maximum(meshes[0].bounds[0], meshes[1].bounds[0]) - within
    high = np.minimum(meshes[0].bounds[1], meshes[1].bounds[1]) + within
    if (low > high).any():
        return None
    near = [_faces_in(mesh, low, high) for mesh in meshes]
    if not all(len(faces) for faces in near):
        return None
    spread = [places_on(mesh, faces, within / 4)[0] for mesh, faces in zip(meshes, near, strict=True)]
    away, which = place_tree(spread[1]).query(spread[0])
    nearest = int(away.argmin())
    x, y, z = ((spread[0][nearest] + spread[1][which[nearest]]) / 2).tolist()
    if not (one.health.is_sound and other.health.is_sound):
        return (float(away[nearest]), (x, y, z)) if away[nearest] <= within else None
    solids = [to_manifold(mesh) for mesh in meshes]
    gap = float(solids[0].min_gap(solids[1], 2 * within))
    if gap > within or (gap == 0 and (solids[0] ^ solids[1]).volume() > _LEAST_MM3):
        return None
    return gap, (x, y, z)


def _faces_in(mesh: Mesh, low: np.ndarray, high: np.ndarray) -> np.ndarray:
    """The numbers of the faces that come into a box."""
    return np.flatnonzero(((mesh.face_lows <= high) & (mesh.face_highs >= low)).all(axis=1))
