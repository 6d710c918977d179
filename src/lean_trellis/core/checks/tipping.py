"""`tips_over`: does what stands on the plate hold a tall part against the process's sideways push?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.changes import AddSupport
from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState
from lean_trellis.core.strength.push import side_push
from lean_trellis.core.supports.common.footprint import Patches, patches_of_faces
from lean_trellis.core.supports.common.spec import spec_of

SLENDER = 4.0
"""Parts less tall than this many times the least width of their footprint are not looked at."""
_ENOUGH = 1.5


def check_tipping(state: BuildState) -> Iterator[Finding]:
    """A stop where the push at the top is more than the bond to the plate bears, a caution where it nearly is.

    About each edge of the hull of what touches the plate, the bond holds by the sum of areas times their distance from
    that edge.
    """
    push = side_push(state.job.constants)
    if push.on(1.0) <= 0:
        return
    for part in state.subjects:
        if state.job.stack_of(part.part.id) is not None:
            continue
        patches = _patches(state, part)
        low, high = part.overhangs.mesh.bounds
        height = float(high[2])
        edge = weakest_edge(patches, height)
        if edge is None:
            continue
        lever, middle = edge
        moment = push.on(float(min(high[:2] - low[:2]))) * height
        reserve = push.bond_mpa * lever / moment
        if reserve < _ENOUGH - LIMIT_SPARE:
            yield Finding(
                "tips_over", "stop" if reserve < 1 - LIMIT_SPARE else "caution", part.part.name,
                f"resists {reserve:.2f} x the side load at {height:.0f} mm; {_ENOUGH:g} x required",
                cause="it is tall for its footprint", at_mm=(*middle.tolist(), 0.0), value=reserve,
                limit=_ENOUGH, part_id=part.part.id,
                source=f"assumed: adhesion to the plate of {push.bond_mpa:.3g} MPa",
                cures=(
                    Cure("Add a flank wall", AddSupport(part.part.id, "wall-flank")),
                    Cure("Turn the part", about="pose"),
                ),
            )  # fmt: skip


def weakest_edge(patches: Patches, height: float) -> tuple[float, Floats] | None:
    """The least sum of area times distance (mm³) over the edges of the patches' hull, and that edge's middle.

    None for what is not slender, and where nothing lies on the plate. Patches in one line hold nothing.
    """
    corners = patches.corners
    if not len(corners):
        return None
    try:
        hull = ConvexHull(corners)
    except (QhullError, ValueError):
        return 0.0, corners.mean(axis=0)
    normals, shifts = hull.equations[:, :2].T, hull.equations[:, 2]
    if height < SLENDER * float((-(corners @ normals + shifts)).max(axis=0).min()):
        return None
    levers = (patches.areas[:, None] * -(patches.middles @ normals + shifts)).sum(axis=0)
    worst = int(levers.argmin())
    return float(levers[worst]), corners[hull.simplices[worst]].mean(axis=0)


def _patches(state: BuildState, part: PartState) -> Patches:
    """What of a part and its supports lies on the plate."""
    own = patches_of_faces(part.overhangs.mesh, np.flatnonzero(part.overhangs.on_plate))
    supports = [held for held in state.supports if part.part.id in held.support.parts]
    return Patches.joined([own, *(spec_of(held.support).footprint(held.structure) for held in supports)])
