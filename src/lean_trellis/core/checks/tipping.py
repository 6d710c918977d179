"""`tips_over`: does what stands on the plate hold a tall part against the process's sideways push?"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.supports.flank import side_push
from lean_trellis.core.supports.panels import Panels
from lean_trellis.core.supports.structure import Structure

SLENDER = 4.0
"""Parts less tall than this many times the least width of their footprint are not looked at."""
_ENOUGH = 1.5
_ON_PLATE_MM = 0.02


def check_tipping(state: BuildState) -> Iterator[Finding]:
    """A stop where the push at the top is more than the bond to the plate bears, a caution where it nearly is.

    About each edge of the hull of what touches the plate, the bond holds by the sum of areas times their distance from
    that edge.
    """
    push = side_push(state.job.constants)
    if push.on(1.0) <= 0:
        return
    for part in state.parts:
        if state.job.stack_of(part.part.id) is not None:
            continue
        patches = _patches(state, part)
        low, high = part.overhangs.mesh.bounds
        height = float(high[2])
        found = weakest_edge(patches, height)
        if found is None:
            continue
        lever, middle = found
        moment = push.on(float(min(high[:2] - low[:2]))) * height
        reserve = push.bond_mpa * lever / moment
        if reserve < _ENOUGH:
            is_stop = reserve < 1
            yield Finding(
                "tips_over", "stop" if is_stop else "caution", part.part.name,
                f"holds {reserve:.2f} times the sideways push at {height:.0f} mm, {_ENOUGH:g} times is asked",
                cause="it is tall for what it stands on", at_mm=(*middle.tolist(), 0.0), value=reserve,
                limit=1.0 if is_stop else _ENOUGH, part_id=part.part.id,
                source=f"assumed: a bond to the plate of {push.bond_mpa:.3g} MPa",
                cures=(
                    Cure("Stand a wall beside it", "add_support", (("set", "wall-flank"),)),
                    Cure("Turn the part", "open_station", (("station", "pose"),)),
                ),
            )  # fmt: skip


@dataclass(frozen=True, eq=False)
class Patches:
    """What lies on the plate: `middles` (k, 2) and `areas` (k,) of its pieces, and all their `corners` (c, 2)."""

    middles: Floats
    areas: Floats
    corners: Floats


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
    found = [_of_faces(part.overhangs.mesh, np.flatnonzero(part.overhangs.on_plate))]
    found += [_footprint(held.structure) for held in state.supports if part.part.id in held.support.parts]
    return Patches(*(np.concatenate([getattr(some, key) for some in found]) for key in ("middles", "areas", "corners")))


def _footprint(made: Structure) -> Patches:
    if isinstance(made, Panels):
        rest = np.flatnonzero(made.slabs.low.max(axis=1) <= _ON_PLATE_MM)
        slabs = made.slabs.only(rest)
        left, right = made.columns.places[slabs.left], made.columns.places[slabs.right]
        areas = made.lengths_mm[rest] * made.built_thickness
        return Patches(made.middles[rest], areas, np.concatenate([left, right]))
    mesh = made.mesh
    if not len(mesh.faces):
        return _of_faces(mesh, np.zeros(0, np.int64))
    return _of_faces(mesh, np.flatnonzero((mesh.face_highs[:, 2] <= _ON_PLATE_MM) & (mesh.normals[:, 2] < -0.5)))


def _of_faces(mesh: Mesh, faces: Longs) -> Patches:
    corners = mesh.vertices[np.unique(mesh.faces[faces])][:, :2]
    return Patches(mesh.centroids_of(faces)[:, :2], mesh.areas[faces], corners)
