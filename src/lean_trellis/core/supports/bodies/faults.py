"""What can be wrong with rafts, blocks, cradles and flank walls."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import shapely

from lean_trellis.core.mesh.mesh import centre_of_mass
from lean_trellis.core.supports.bodies.bodies import Bodies
from lean_trellis.core.supports.bodies.cradle import Cradle
from lean_trellis.core.supports.bodies.flank_parameters import FlankParameters
from lean_trellis.core.supports.bodies.parameters import CradleParameters, RaftParameters
from lean_trellis.core.supports.bodies.raft import Raft
from lean_trellis.core.supports.common.faults import (
    LOOK,
    FamilyView,
    Fault,
    Remedy,
    empty_support,
    place_of,
    volume_in_part,
)

_BESIDE_MM, _LEAST_HULL_MM2 = 0.05, 0.5
_LEAST_OVERLAP_MM3 = 0.01


def raft_faults(view: FamilyView[RaftParameters, Raft]) -> Iterator[Fault]:
    """Is it thicker than its parts stand above the plate, and does its margin close holes?"""
    yield from _too_thick(view, view.structure.thickness, "raft")
    yield from _closed_holes(view)
    yield from empty_support(view.structure)


def cradle_faults(view: FamilyView[CradleParameters, Bodies]) -> Iterator[Fault]:
    """Does it run into a part, and is its plate thicker than the part stands above the plate?"""
    yield from _through_part(view, view.parameters.seat_depth)
    yield from _too_thick(view, view.parameters.raft_thickness, "cradle's plate")
    yield from _one_sided(view)
    yield from empty_support(view.structure)


def flank_faults(view: FamilyView[FlankParameters, Bodies]) -> Iterator[Fault]:
    """Does it run into a part?"""
    yield from _through_part(view, view.parameters.tie_bite)
    yield from empty_support(view.structure)


def block_faults(view: FamilyView[Any, Bodies]) -> Iterator[Fault]:
    """Does it run into a part?"""
    yield from _through_part(view, -view.parameters.trim_clearance)
    yield from empty_support(view.structure)


def tag_faults(view: FamilyView[Any, Bodies]) -> Iterator[Fault]:
    """Does it run into a part?"""
    yield from _through_part(view, 0.0)


def _through_part(view: FamilyView[Any, Bodies], bite: float) -> Iterator[Fault]:
    """By the volume that bodies and a part have in common, less what bites may take."""
    made = view.structure
    allowed = 1.5 * made.contact_area_mm2 * max(bite, 0.0) + _LEAST_OVERLAP_MM3
    for number, part in enumerate(view.parts):
        common = volume_in_part(made.mesh, part)
        if common is not None and common > allowed + 1e-4 * made.volume_mm3:
            yield Fault(
                "support_through_part", "stop",
                f"{made.counted.several} of {view.name} run into it by {common:.2f} mm³",
                cause="they are placed or sized so that they reach into the part",
                at_mm=place_of(made.mesh.bounds.mean(axis=0)), value=common, limit=allowed, unit="mm³", part=number,
            )  # fmt: skip


def _one_sided(view: FamilyView[CradleParameters, Any]) -> Iterator[Fault]:
    """Do the posts that carry stand round what the part weighs? One row on one side is no cradle."""
    made, part = view.structure, view.parts[0]
    if not isinstance(made, Cradle) or not len(made.posts):
        return
    posts = made.posts
    carries = posts.carries | (view.parameters.seat_depth < 0)  # those stay off it on purpose
    places = posts.tops[carries, :2]
    middle = centre_of_mass(part.mesh)
    outside = shapely.Point(middle[:2]).distance(shapely.MultiPoint(places).convex_hull) if len(places) else np.inf
    is_line = len(places) < 3 or shapely.MultiPoint(places).convex_hull.area < _LEAST_HULL_MM2
    if outside > _BESIDE_MM or is_line:
        yield Fault(
            "cradle_one_sided", "caution" if view.others else "stop",
            f"{len(places)} of {len(posts)} posts carry, and they do not stand round what {view.name} weighs",
            cause="the part would lean over them: its centre of mass is not between posts that carry"
            if outside > _BESIDE_MM else "posts that carry stand in one line",
            at_mm=place_of(middle), value=float(outside) if np.isfinite(outside) else None, limit=_BESIDE_MM, unit="mm",
            remedies=(LOOK,),
        )  # fmt: skip


def _too_thick(view: FamilyView[Any, Bodies], thickness: float, what: str) -> Iterator[Fault]:
    """A raft, or a cradle's plate, thicker than the parts on it stand above the plate."""
    for number, part in enumerate(view.parts[: view.own]):
        offset = part.build_offset
        if thickness > offset + 1e-3:
            x, y, _ = place_of(part.mesh.bounds.mean(axis=0))
            yield Fault(
                "raft_too_thick", "stop",
                f"the {what} is {thickness:g} mm thick, the build offset only {offset:g} mm",
                cause="the build offset counts from the plate, raft included", at_mm=(x, y, offset), value=thickness,
                limit=offset, unit="mm", part=number,
                remedies=(Remedy(f"Lift by the difference, {thickness - offset:.3g} mm", lift_to=thickness),),
            )  # fmt: skip


def _closed_holes(view: FamilyView[RaftParameters, Raft]) -> Iterator[Fault]:
    """Holes of a raft that its margin closes."""
    raft, margin = view.structure, view.parameters.margin
    for hole in raft.holes:
        if hole.is_closed:
            kept = float(np.floor(hole.closes_at * 98) / 100)
            yield Fault(
                "raft_hole_closed", "caution",
                f"the margin of {margin:g} mm closes a hole of the raft; it stays open below {hole.closes_at:.2f} mm",
                cause="the margin goes inward from the rim of holes as well", at_mm=(*hole.place, raft.thickness),
                value=float(margin), limit=hole.closes_at, unit="mm",
                remedies=(Remedy(f"Use a margin of {kept:g} mm", ("margin", kept)),),
            )  # fmt: skip
