"""Checks of what is no bar: walls and bodies that run into parts, stretches left out, rafts; and of overlaps."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import numpy as np
from shapely import area as area_of

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState, SupportState
from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.supports.bodies import Bodies
from lean_trellis.core.supports.body_parameters import CradleParameters
from lean_trellis.core.supports.floors import Shape
from lean_trellis.core.supports.obstacle import Obstacle
from lean_trellis.core.supports.panel_clearance import slabs_met
from lean_trellis.core.supports.panel_parameters import PanelParameters
from lean_trellis.core.supports.panels import Panels
from lean_trellis.core.supports.raft import Raft, shadow_of
from lean_trellis.core.supports.structure import Structure

_SPARE_MM = 0.05
_LOOKED_AT = (0.25, 0.75)
_LEAST_OVERLAP_MM3 = 0.01
_DOWN = np.array([[0.0, 0.0, -1.0]])
_OPEN = (("station", "supports"),)


def check_structures(state: BuildState) -> Iterator[Finding]:
    """Findings on lattices, walls, rafts, blocks and cradles, and on supports that overlap."""
    for held in state.supports:
        made = held.structure
        state.watch.at(0.92, f"checking the supports of {state.name_of(held.support.part_id)}")
        if isinstance(made, Panels):
            yield from _walls_through_part(state, held, made)
            yield from _left_out(state, held, made)
            yield from _in_the_air(state, held, made)
            yield from _not_kept(state, held, made)
        elif isinstance(made, Raft):
            yield from _too_thick(state, held, made.thickness, "raft")
            yield from _closed_holes(state, held, made)
        elif isinstance(made, Bodies):
            yield from _bodies_through_part(state, held, made)
        if isinstance(held.support.parameters, CradleParameters):
            yield from _too_thick(state, held, held.support.parameters.raft_thickness, "cradle's plate")
        if isinstance(made, (Panels, Bodies)) and made.is_empty:
            yield _empty(state, held)
    yield from _overlaps(state)


def _walls_through_part(state: BuildState, held: SupportState, walls: Panels) -> Iterator[Finding]:
    """Measured anew by rays from edge to edge, in the middle and on both sides; bites are left out."""
    for part in state.parts:
        through = _met_within(walls, part, held)
        if not through.any():
            continue
        places = walls.middles
        first = int(np.flatnonzero(through)[0])
        length = float(walls.lengths_mm[through].sum())
        yield Finding(
            "support_through_part", "stop", part.part.name,
            f"walls of {state.name_of(held.support.part_id)} run into it over {length:.1f} mm",
            cause="the part has changed since, or is finer than the walls' columns lie apart",
            at_mm=(float(places[first, 0]), float(places[first, 1]), float(walls.slabs.high[first].mean())),
            value=length, limit=0.0, unit="mm", part_id=part.part.id, support_id=held.support.id,
            cures=(Cure("Open its support", "open_station", _OPEN),),
        )  # fmt: skip


def _met_within(walls: Panels, part: PartState, held: SupportState) -> Bools:
    """(k,): slabs that a part lies in, beyond the bites; looked for at other places than when they were made."""
    parameters = held.support.parameters
    bites = (0.0, 0.0)
    if isinstance(parameters, PanelParameters):
        bites = (max(parameters.lift_mm(0.0), 0.0), parameters.lower[0])
    there = Obstacle(part.tree, part.part.pose, part.overhangs.mesh)
    return slabs_met(walls.columns, walls.slabs, [there], walls.thickness, bites, _LOOKED_AT)


def _left_out(state: BuildState, held: SupportState, walls: Panels) -> Iterator[Finding]:
    """Stretches of wall that could not be built, by reason."""
    reasons = np.array(walls.left_out.reasons)
    for reason in dict.fromkeys(walls.left_out.reasons):
        mine = reasons == reason
        length = float(walls.left_out.lengths_mm[mine].sum())
        if length < 1.0:
            continue
        place = walls.left_out.places[int(np.flatnonzero(mine)[0])]
        yield Finding(
            "wall_left_out", "caution", state.name_of(held.support.part_id),
            f"{length:.1f} mm of wall could not be built: {reason}", cause=reason, at_mm=tuple(place.tolist()),
            value=length, limit=0.0, unit="mm", part_id=held.support.part_id, support_id=held.support.id,
            cures=(Cure("Open its support", "open_station", _OPEN),),
        )  # fmt: skip


def _in_the_air(state: BuildState, held: SupportState, walls: Panels) -> Iterator[Finding]:
    """Walls that end at a level with nothing there: no plate, no part, no raft, block or cradle of the same part."""
    parameters = held.support.parameters
    if not isinstance(parameters, PanelParameters) or parameters.ends_on != "level" or walls.is_empty:
        return
    slabs = walls.slabs
    lowest = np.full(len(walls.columns), np.inf)
    np.minimum.at(lowest, slabs.left, slabs.low.min(axis=1))
    ends = np.flatnonzero((slabs.low.min(axis=1) <= lowest[slabs.left] + 1e-9) & ~slabs.low_bites)
    ends = ends[slabs.low[ends].max(axis=1) > _SPARE_MM]
    middles = walls.middles[ends]
    stands = np.zeros(len(ends), bool)
    for other in state.supports:
        if other is not held and isinstance(other.structure, Bodies) and not other.structure.is_empty:
            starts = np.column_stack([middles, slabs.low[ends].mean(axis=1) + _SPARE_MM])
            stands |= RayTree(other.structure.mesh).first_hits(starts, _DOWN).distance < 4 * _SPARE_MM
    hanging = ends[~stands]
    if len(hanging):
        length = float(walls.lengths_mm[hanging].sum())
        first = hanging[0]
        at = (*middles[~stands][0].tolist(), float(slabs.low[first].mean()))
        yield Finding(
            "walls_end_in_air", "caution", state.name_of(held.support.part_id),
            f"{length:.1f} mm of wall end in the air at {slabs.low[first].mean():.2f} mm",
            cause="they end at a level and nothing is there to stand on", at_mm=at, value=length, limit=0.0,
            unit="mm", part_id=held.support.part_id, support_id=held.support.id,
            cures=(Cure("Let them end on what is below", "set_parameter", (("key", "ends_on"), ("value", "below"))),),
        )  # fmt: skip


def _not_kept(state: BuildState, held: SupportState, walls: Panels) -> Iterator[Finding]:
    reasons = walls.unkept.reasons
    if reasons:
        yield Finding(
            "hand_work_lost", "caution", state.name_of(held.support.part_id),
            f"{len(reasons)} thing{'s' * (len(reasons) > 1)} done by hand could not be kept: {reasons[0]}",
            cause=reasons[0], at_mm=tuple(walls.unkept.places[0].tolist()), value=float(len(reasons)), limit=0.0,
            part_id=held.support.part_id, support_id=held.support.id,
            cures=(Cure("Open its support", "open_station", _OPEN),),
        )  # fmt: skip


def _empty(state: BuildState, held: SupportState) -> Finding:
    return Finding(
        "support_empty", "caution", state.name_of(held.support.part_id), "a support of it has nothing to build",
        cause="its regions are not there any more or are none that this family serves, or all was taken out by hand",
        part_id=held.support.part_id, support_id=held.support.id,
        cures=(Cure("Open its support", "open_station", _OPEN),),
    )  # fmt: skip


def _too_thick(state: BuildState, held: SupportState, thickness: float, what: str) -> Iterator[Finding]:
    """A raft, or a cradle's plate, thicker than the parts on it stand above the plate."""
    for part_id in held.support.parts:
        part = state.job.part(part_id)
        offset = part.pose.build_offset
        if thickness > offset + 1e-9:
            yield Finding(
                "raft_too_thick", "stop", part.name,
                f"its {what} is {thickness:g} mm thick and it stands {offset:g} mm above the plate",
                cause="the build offset counts from the plate, raft included", at_mm=(part.pose.x, part.pose.y, offset),
                value=thickness, limit=offset, unit="mm", part_id=part_id, support_id=held.support.id,
                cures=(Cure(f"Lift by the difference, {thickness - offset:.3g} mm", "set_build_offset",
                            (("offset", thickness),)),),
            )  # fmt: skip


def _closed_holes(state: BuildState, held: SupportState, raft: Raft) -> Iterator[Finding]:
    """Holes of a raft that its margin closes."""
    for hole in raft.holes:
        if hole.is_closed:
            margin = getattr(held.support.parameters, "margin", 0.0)
            kept = np.floor(hole.closes_at * 98) / 100
            yield Finding(
                "raft_hole_closed", "caution", state.name_of(held.support.part_id),
                f"a hole of its raft is closed at a margin of {margin:g} mm; it closes at {hole.closes_at:.2f} mm",
                cause="the margin goes inward from the rim of holes as well", at_mm=(*hole.place, raft.thickness),
                value=float(margin), limit=hole.closes_at, unit="mm", part_id=held.support.part_id,
                support_id=held.support.id,
                cures=(Cure(f"Use a margin of {kept:g} mm", "set_parameter", (("key", "margin"), ("value", kept))),),
            )  # fmt: skip


def _bodies_through_part(state: BuildState, held: SupportState, made: Bodies) -> Iterator[Finding]:
    """By the volume that bodies and a part have in common, less what bites may take."""
    parameters = held.support.parameters
    bite = max(getattr(parameters, "tie_bite", 0.0), getattr(parameters, "seat_depth", 0.0), 0.0)
    allowed = 1.5 * made.contact_area_mm2 * bite + _LEAST_OVERLAP_MM3
    for part in state.parts:
        common = _common_volume(made.mesh, part.overhangs.mesh)
        if common is not None and common > allowed + 1e-4 * made.volume_mm3:
            yield Finding(
                "support_through_part", "stop", part.part.name,
                f"{made.counted.several} of {state.name_of(held.support.part_id)} run into it by {common:.2f} mm³",
                cause="they are placed or sized so that they reach into the part",
                at_mm=tuple(made.mesh.bounds.mean(axis=0).tolist()), value=common, limit=allowed, unit="mm³",
                part_id=part.part.id, support_id=held.support.id,
                cures=(Cure("Open its support", "open_station", _OPEN),),
            )  # fmt: skip


def _common_volume(one: Mesh, other: Mesh) -> float | None:
    """What two solids have in common, mm³; None where their boxes do not meet or one bounds no solid."""
    if not len(one.faces) or not len(other.faces) or not _meet(one.bounds, other.bounds):
        return None
    try:
        return float((to_manifold(one) ^ to_manifold(other)).volume())
    except EditError:
        return None


def _meet(one: Floats, other: Floats) -> bool:
    return bool((one[0] <= other[1]).all() and (other[0] <= one[1]).all())


def _overlaps(state: BuildState) -> Iterator[Finding]:
    """Supports built into each other of which one at least is no bar. What stands on a raft is meant to."""
    some = [held for held in state.supports if not isinstance(held.structure, Raft) and not held.structure.is_empty]
    shadows: dict[str, Shape] = {}
    for held, other in combinations(some, 2):
        if held.support.family == other.support.family == "bars":
            continue
        if not _meet(held.structure.mesh.bounds, other.structure.mesh.bounds):
            continue
        for one in (held, other):
            if one.support.id not in shadows:
                shadows[one.support.id] = shadow_of(one.structure)
        # Looked for in space only where they overlap as seen from above.
        if area_of(shadows[held.support.id].intersection(shadows[other.support.id])) <= 0:
            continue
        common = _common_volume(_solid(held.structure), _solid(other.structure)) or 0.0
        if common > _LEAST_OVERLAP_MM3:
            yield _overlap(state, held, other, common)


def _overlap(state: BuildState, held: SupportState, other: SupportState, common: float) -> Finding:
    walls = next((s for s in (held, other) if isinstance(s.structure, Panels)), held)
    families = {held.support.family, other.support.family}
    trims = isinstance(walls.structure, Panels) and "bars" in families
    room = (Cure("Let the walls make room for bars", "set_parameter", (("key", "trim"), ("value", "bars"))),) * trims
    names = f"{held.support.set_name} and {other.support.set_name}"
    return Finding(
        "supports_overlap", "note", state.name_of(held.support.part_id),
        f"{names} are built into each other by {common:.2f} mm³",
        cause="supports of several families serve the same place", value=common, limit=0.0, unit="mm³",
        at_mm=tuple(((held.structure.mesh.bounds + other.structure.mesh.bounds) / 2).mean(axis=0).tolist()),
        part_id=walls.support.part_id, support_id=walls.support.id,
        cures=(*room, Cure("Open its support", "open_station", _OPEN)),
    )  # fmt: skip


def _solid(made: Structure) -> Mesh:
    return made.solid_mesh if isinstance(made, Panels) else made.mesh
