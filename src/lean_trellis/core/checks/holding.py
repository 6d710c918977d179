"""`region_not_held`, `island_not_held`: does everything that begins or hangs have a hold?"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs, counted_out, threads_for
from lean_trellis.core.checks.along import underside_goes_on
from lean_trellis.core.checks.changes import SupportRegions
from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding
from lean_trellis.core.checks.state import BuildState, Contacts, PartState
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.overhang.rim import FREE, WALL, find_rim
from lean_trellis.core.parts.stacking import Separator
from lean_trellis.core.supports.common.surface_points import SurfacePoints, grid_basis, grid_points

_MOST_SAMPLES = 200_000
_RIM_STEP_MM = 0.25
_NEAREST, _RIM_NEAREST, _LEVELS = 8, 12, 64
"""So many of the nearest contacts, and places on the rim, are looked at."""
_SAME_HEIGHT_MM = 1e-6
_OWN_CONTACT_MM = 10.0
"""A region with a contact no farther than this from its free rim is not carried by its walls alone."""
_FEW_LAYERS, _NEAR_ISLAND = 3, 32
_APART = 1e5


def check_holding(state: BuildState) -> Iterator[Finding]:
    """Stops for what is further from every hold than the material's greatest free span."""
    for part in state.subjects:
        state.watch.at(0.75, f"checking the supports of {part.part.name}")
        contacts = state.contacts_of(part.part)
        rests_to = _rests_to(state, part)
        yield from _regions_not_held(state, part, contacts, rests_to)
        state.watch.at(0.8, f"checking the islands of {part.part.name}")
        yield from _islands_not_held(state, part, contacts, rests_to)


def _rests_to(state: BuildState, part: PartState) -> float:
    """Up to which height a part of a stack rests on the separator below it; -inf where it does not.

    A separator drawn in by more than the material spans does not hold the rim.
    """
    stack = state.job.stack_of(part.part.id)
    if stack is None or stack.parts[0] == part.part.id or not isinstance(stack.filling, Separator):
        return -np.inf
    if stack.filling.inset > state.job.material.free_span.at(0):
        return -np.inf
    return part.part.pose.build_offset + 0.5 * state.job.layer_height


def _regions_not_held(state: BuildState, part: PartState, contacts: Contacts, rests_to: float) -> Iterator[Finding]:
    """Distances are measured in space from samples of the critical faces to the nearest hold.

    Holds are contacts on the same piece of solid, as it is in the layer in question, and the rim where the surface goes
    over into a wall or fades past the angle: there the part itself carries what is built after it. A wall carries a
    ledge as far as the process says. Low edges and points must have a contact within the span of a flat ceiling.
    """
    overhangs = part.overhangs
    measured = _measured(state, part, contacts, rests_to)
    if measured is not None:
        too_far = measured.distance > measured.limit + LIMIT_SPARE
        for number in np.unique(measured.regions[too_far]).tolist():
            here = np.flatnonzero(too_far & (measured.regions == number))
            worst = here[int((measured.distance[here] - measured.limit[here]).argmax())]
            share = len(here) / int((measured.regions == number).sum())
            yield _not_held(state, part, overhangs.regions[number], measured.places[worst],
                            float(measured.distance[worst]), float(measured.limit[worst]), share)  # fmt: skip
    for region, places, away in _low_places(part, contacts, rests_to):
        yield from _low_place_not_held(state, part, region, places, away)


def _low_places(part: PartState, contacts: Contacts, rests_to: float) -> Iterator[tuple[Region, Floats, Floats]]:
    """Low edges and points that are to be supported, their places and how far each is from the nearest contact."""
    for region in part.overhangs.to_support:
        if region.kind != "face" and region.highest_mm > rests_to:
            places = part.overhangs.mesh.vertices[region.vertices]
            yield region, places, contacts.away_from(places, 1)[0][:, 0]


@dataclass(frozen=True, eq=False)
class _Measured:
    """Samples (n, 3) of the regions (n,), each's distance to the nearest hold and the limit there, mm."""

    places: Floats
    regions: Ints
    distance: Floats
    limit: Floats


def _measured(state: BuildState, part: PartState, contacts: Contacts, rests_to: float) -> _Measured | None:
    """How far the surface of the regions lies from what holds it; None where there is nothing to hold."""
    free_span, overhangs = state.job.material.free_span, part.overhangs
    faces = overhangs.faces_to_hold
    faces = faces[overhangs.mesh.face_highs[faces, 2] > rests_to]
    if not len(faces):
        return None
    samples = _samples(part, faces, 0.4 * free_span.spans[0])
    if state.job.machine.process == "extrusion":
        samples = SurfacePoints.joined([samples, _free_corners(part, faces, contacts)])
    state.watch.at(0.78, f"measuring distances on {part.part.name}")
    limits = np.interp(overhangs.surface_angle[samples.faces], free_span.angles, free_span.spans)
    distance = _away_from_contacts(samples, contacts, part, limits)
    by_rim, rim_limits = _away_from_rim(state, samples, part, faces, limits)
    by_rim_alone = by_rim / rim_limits < distance / limits
    return _Measured(
        samples.places, overhangs.region_of_face[samples.faces], np.where(by_rim_alone, by_rim, distance),
        np.where(by_rim_alone, rim_limits, limits),
    )  # fmt: skip


def supported_shares(state: BuildState, part: PartState) -> Floats:
    """(r,): the share of each region of a part that lies near enough to a hold; 1 where it supports itself."""
    overhangs = part.overhangs
    shares = np.ones(len(overhangs.regions))
    contacts, rests_to = state.contacts_of(part.part), _rests_to(state, part)
    measured = _measured(state, part, contacts, rests_to)
    if measured is not None:
        count = np.bincount(measured.regions, minlength=len(shares))
        supported = np.bincount(
            measured.regions, weights=measured.distance <= measured.limit + LIMIT_SPARE, minlength=len(shares)
        )
        shares = np.where(count > 0, supported / np.maximum(count, 1), shares)
    for region, _, away in _low_places(part, contacts, rests_to):
        shares[region.id] = (away <= state.job.material.free_span.at(0) + LIMIT_SPARE).mean()
    return shares


def farthest_unsupported(state: BuildState, part: PartState) -> float:
    """How far the worst place of a part lies from what holds it, mm; infinite where nothing does, 0 where none asks."""
    contacts, rests_to = state.contacts_of(part.part), _rests_to(state, part)
    measured = _measured(state, part, contacts, rests_to)
    farthest = 0.0 if measured is None else float(measured.distance.max(initial=0.0))
    lows = [float(away.max(initial=0.0)) for _, _, away in _low_places(part, contacts, rests_to)]
    return max([farthest, *lows])


def _low_place_not_held(
    state: BuildState, part: PartState, region: Region, places: Floats, away: Floats
) -> Iterator[Finding]:
    span = state.job.material.free_span.at(0)
    worst = int(away.argmax())
    if away[worst] > span + LIMIT_SPARE:
        yield _not_held(state, part, region, places[worst], float(away[worst]), span, 1.0)


def _not_held(
    state: BuildState,
    part: PartState,
    region: Region,
    place: Floats,
    value: float,
    limit: float,
    share: float,
) -> Finding:
    what = {"face": "region", "edge": "low edge", "point": "low point"}[region.kind]
    far = f"nearest support {value:.2f} mm away" if np.isfinite(value) else "no support at all"
    area = f" ({share * region.area_mm2:.1f} of {region.area_mm2:.1f} mm²)" if region.area_mm2 else ""
    return Finding(
        "region_not_held", "stop", part.part.name,
        f"{what} {region.id + 1} is not supported: {far}, limit {limit:.2f} mm{area}",
        cause="the surface is below the critical angle and no support is close enough",
        at_mm=tuple(place.tolist()), value=value if np.isfinite(value) else None, limit=limit, unit="mm",
        source=state.job.material.free_span.source, part_id=part.part.id,
        cures=(
            Cure("Support this region", SupportRegions(part.part.id, (region.id,))),
            Cure("Turn the part", about="pose"),
        ),
    )  # fmt: skip


def _samples(part: PartState, faces: Longs, pitch: float) -> SurfacePoints:
    mesh = part.overhangs.mesh
    pitch = max(pitch, (float(mesh.areas[faces].sum()) / _MOST_SAMPLES) ** 0.5)
    grid = grid_points(mesh, faces, grid_basis(pitch, "square"), mesh.middle[:2])
    return SurfacePoints.joined([grid, SurfacePoints(mesh.centroids_of(faces), faces)])


def _free_corners(part: PartState, faces: Longs, contacts: Contacts) -> SurfacePoints:
    """Where the free rim of regions that only their walls carry turns: what a nozzle puts down there curls first."""
    overhangs, mesh = part.overhangs, part.overhangs.mesh
    rim = find_rim(part.topology, mesh, overhangs.region_of_face, faces, overhangs.layer_normal).of_kind(FREE)
    is_free = np.zeros(len(mesh.vertices), bool)
    is_free[rim.begins] = True
    owners, corners = np.nonzero(is_free[mesh.faces[faces]])
    places = SurfacePoints(mesh.vertices[mesh.faces[faces[owners], corners]], faces[owners])
    if len(contacts) and len(places):
        away = contacts.away_from(places.places, 1)[0][:, 0]
        regions = overhangs.region_of_face[places.faces]
        nearest = np.full(len(overhangs.regions) + 1, np.inf)
        np.minimum.at(nearest, regions, away)
        places = places.only(nearest[regions] > _OWN_CONTACT_MM)
    return places


def _away_from_contacts(samples: SurfacePoints, contacts: Contacts, part: PartState, limits: Floats) -> Floats:
    """(n,): how far each sample is from the nearest contact on its own piece of solid, in the layer of the later.

    A contact within the limit (n,) counts only where the underside goes on all the way to it.
    """
    if not len(contacts):
        return np.full(len(samples), np.inf)
    away, which = contacts.away_from(samples.places, _NEAREST)
    mine = part.pieces.basins_at(part.overhangs.mesh, samples.faces)
    theirs, heights = _basins_of(contacts.places, part)
    up = np.array(part.overhangs.layer_normal)
    later = np.maximum((samples.places @ up)[:, None], heights[which])
    joined = part.pieces.joined_at(np.repeat(mine, away.shape[1]), theirs[which].reshape(-1)).reshape(later.shape)
    near = np.where(joined <= later + _SAME_HEIGHT_MM, away, np.inf)
    open_samples = np.flatnonzero(near.min(axis=1) <= limits + LIMIT_SPARE)
    while len(open_samples):
        nearest = near[open_samples].argmin(axis=1)
        reached = underside_goes_on(
            part, samples.places[open_samples], contacts.places[which[open_samples, nearest]],
            limits[open_samples] + contacts.radii[which[open_samples, nearest]],
        )  # fmt: skip
        cut_off = open_samples[~reached]
        near[cut_off, nearest[~reached]] = np.inf
        open_samples = cut_off[near[cut_off].min(axis=1) <= limits[cut_off] + LIMIT_SPARE]
    result: Floats = near.min(axis=1)
    return result


def _basins_of(contacts: Floats, part: PartState) -> tuple[Longs, Floats]:
    """Of each contact the basin under the face that it meets, and its height along the layer normal."""
    basins = part.pieces.basins_at(part.overhangs.mesh, part.faces_at(contacts))
    return basins, contacts @ np.array(part.overhangs.layer_normal)


def _away_from_rim(
    state: BuildState, samples: SurfacePoints, part: PartState, faces: Longs, limits: Floats
) -> tuple[Floats, Floats]:
    """(n,) each: how far each sample is from the rim of its region that carries it, and the most it may be.

    A rim carries from the layer on in which it is there.
    """
    away, most = np.full(len(samples), np.inf), limits.copy()
    rim = _carrying_rim(part, faces)
    up = np.array(part.overhangs.layer_normal)
    heights = samples.places @ up
    regions = part.overhangs.region_of_face[samples.faces]
    bridging = state.job.bridging_of(part.part)
    span, ledge = state.job.material.free_span.at(0), np.inf if bridging is None else bridging.ledge_limit
    wall_limits = limits * min(ledge / span, 1.0) if state.job.machine.process == "extrusion" else limits
    for is_wall, own_limits in ((True, wall_limits), (False, limits)):
        mine = rim.is_wall == is_wall
        places = rim.places[mine]
        if not len(places):
            continue
        # A fourth coordinate separates regions in the tree.
        those = np.column_stack([places, rim.regions[mine] * _APART])
        near = _away_from_lower(
            np.column_stack([samples.places, regions * _APART]), heights + state.job.layer_height, those, places @ up
        )
        nearer = near / own_limits < away / most
        away, most = np.where(nearer, near, away), np.where(nearer, own_limits, most)
    return away, most


def _away_from_lower(at: Floats, heights: Floats, places: Floats, levels: Floats) -> Floats:
    """(n,): how far the nearest of places (k, 4) is whose level (k,) is no higher than the height (n,) there.

    Among the few nearest first; where all these are higher, among those below the next lower of some levels.
    """
    known = min(_RIM_NEAREST, len(places))
    far, which = place_tree(places).query(at, k=known, workers=threads_for(len(at)))
    far, which = far.reshape(len(at), known), which.reshape(len(at), known)
    near: Floats = np.where((levels[which] <= heights[:, None]) & (far < 0.5 * _APART), far, np.inf).min(axis=1)
    lost = np.flatnonzero(np.isinf(near) & (far[:, 0] < 0.5 * _APART))
    steps = np.unique(np.quantile(levels, np.linspace(0, 1, _LEVELS), method="higher"))
    step_of = np.searchsorted(steps, heights[lost], side="right") - 1
    for step in np.unique(step_of[step_of >= 0]).tolist():
        mine = lost[step_of == step]
        away = place_tree(places[levels <= steps[step]]).query(at[mine], workers=threads_for(len(mine)))[0]
        near[mine] = np.where(away < 0.5 * _APART, away, np.inf)
    return near


@dataclass(frozen=True, eq=False)
class _RimPlaces:
    """Places (k, 3) along the rim where the part itself carries, the region of each, and whether a wall rises there."""

    places: Floats
    regions: Ints
    is_wall: Bools


def _carrying_rim(part: PartState, faces: Longs) -> _RimPlaces:
    """A quarter of a millimetre apart."""
    overhangs = part.overhangs
    rim = find_rim(part.topology, overhangs.mesh, overhangs.region_of_face, faces, overhangs.layer_normal)
    carries = rim.kinds != FREE
    starts, stops, regions = rim.starts[carries], rim.stops[carries], rim.regions[carries]
    steps = np.maximum(1, np.ceil(np.linalg.norm(stops - starts, axis=1) / _RIM_STEP_MM).astype(int))
    which, within = counted_out(steps + 1)
    share = (within / steps[which])[:, None]
    return _RimPlaces(
        starts[which] + share * (stops - starts)[which], regions[which], (rim.kinds[carries] == WALL)[which]
    )


def _islands_not_held(state: BuildState, part: PartState, contacts: Contacts, rests_to: float) -> Iterator[Finding]:
    """An island is supported by a contact of its own: one that is on it while it is by itself.

    One that joins another within a few layers may lean on that: it needs a contact of the two within the span of a flat
    ceiling.
    """
    span, mesh = state.job.material.free_span.at(0), part.overhangs.mesh
    vertices = np.array([island.vertex for island in part.islands], np.int64)
    if not len(vertices):
        return
    served, nearest = _served(state, part, contacts)
    regions_at = _regions_at(part, vertices)
    islands = zip(part.islands, served.tolist(), nearest.tolist(), regions_at, strict=True)
    for island, is_served, value, its_regions in islands:
        place = mesh.vertices[island.vertex]
        if place[2] <= rests_to or is_served:
            continue
        yield Finding(
            "island_not_held", "stop", part.part.name,
            f"an island of {island.area_mm2:.2f} mm² starts in the air at {island.z_mm:.2f} mm and has no support of "
            "its own",
            cause="its first layer has nothing below, and no support meets it before it joins the rest",
            at_mm=tuple(place.tolist()), value=value if np.isfinite(value) else None, limit=span, unit="mm",
            source=state.job.material.free_span.source, part_id=part.part.id,
            cures=(Cure("Support its region", SupportRegions(part.part.id, tuple(sorted(its_regions)))),),
        )  # fmt: skip


def _served(state: BuildState, part: PartState, contacts: Contacts) -> tuple[Bools, Floats]:
    """Of each island whether a contact serves it, and how far the nearest is."""
    islands, pieces = part.islands, part.pieces
    if not len(contacts):
        return np.zeros(len(islands), bool), np.full(len(islands), np.inf)
    span, layer = state.job.material.free_span.at(0), state.job.layer_height
    vertices = np.array([island.vertex for island in islands])
    own = pieces.basin_of_vertex[vertices]
    joins = pieces.alone_until(_FEW_LAYERS * layer)[own][:, None]
    away, which = contacts.away_from(part.overhangs.mesh.vertices[vertices], _NEAR_ISLAND)
    basins, heights = _basins_of(contacts.places, part)
    joined = pieces.joined_at(np.repeat(own, away.shape[1]), basins[which].reshape(-1)).reshape(away.shape)
    is_brief = joins - pieces.along[vertices][:, None] <= _FEW_LAYERS * layer
    serves = np.where(is_brief, (away <= span) & (joined <= joins + span), (heights[which] < joins) & (joined < joins))
    result: Bools = serves.any(axis=1)
    return result, away[:, 0]


def _regions_at(part: PartState, vertices: Longs) -> list[set[int]]:
    """The regions of the faces at each vertex."""
    overhangs = part.overhangs
    place = np.full(len(overhangs.mesh.vertices), -1, np.int64)
    place[vertices] = np.arange(len(vertices))
    faces, corners = np.nonzero(place[overhangs.mesh.faces] >= 0)
    by_vertex: list[set[int]] = [set() for _ in vertices]
    regions = overhangs.region_of_face[faces]
    at = place[overhangs.mesh.faces[faces, corners]]
    for number, region in zip(at[regions >= 0].tolist(), regions[regions >= 0].tolist(), strict=True):
        by_vertex[number].add(region)
    return by_vertex
