"""`region_not_held`, `island_not_held`: does everything that begins or hangs have a hold?"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from lean_trellis.core.arrays import Floats, Ints, Longs, counted_out
from lean_trellis.core.checks.changes import SupportRegions
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.overhang.rim import FREE, find_rim
from lean_trellis.core.parts.stacking import Separator
from lean_trellis.core.supports.common.surface_points import SurfacePoints, grid_basis, grid_points

_MOST_SAMPLES = 200_000
_RIM_STEP_MM = 0.25
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


def _regions_not_held(state: BuildState, part: PartState, contacts: Floats, rests_to: float) -> Iterator[Finding]:
    """Distances are measured in space from samples of the critical faces to the nearest hold.

    Holds are contacts, and the rim where the surface goes over into a wall or fades past the angle: there
    the part itself carries. Low edges and points must have a contact within the span of a flat ceiling.
    """
    overhangs = part.overhangs
    measured = _measured(state, part, contacts, rests_to)
    if measured is not None:
        too_far = measured.distance > measured.limit
        for number in np.unique(measured.regions[too_far]).tolist():
            here = np.flatnonzero(too_far & (measured.regions == number))
            worst = here[int((measured.distance[here] - measured.limit[here]).argmax())]
            share = len(here) / int((measured.regions == number).sum())
            yield _not_held(state, part, overhangs.regions[number], measured.places[worst],
                            float(measured.distance[worst]), float(measured.limit[worst]), share)  # fmt: skip
    for region, places, away in _low_places(part, contacts, rests_to):
        yield from _low_place_not_held(state, part, region, places, away)


def _low_places(part: PartState, contacts: Floats, rests_to: float) -> Iterator[tuple[Region, Floats, Floats]]:
    """Low edges and points that are to be supported, their places and how far each is from the nearest contact."""
    tree = cKDTree(contacts) if len(contacts) else None
    for region in part.overhangs.to_be_held:
        if region.kind != "face" and region.highest_mm > rests_to:
            places = part.overhangs.mesh.vertices[region.vertices]
            yield region, places, tree.query(places)[0] if tree is not None else np.full(len(places), np.inf)


@dataclass(frozen=True, eq=False)
class _Measured:
    """Samples (n, 3) of the regions (n,), each's distance to the nearest hold and the limit there, mm."""

    places: Floats
    regions: Ints
    distance: Floats
    limit: Floats


def _measured(state: BuildState, part: PartState, contacts: Floats, rests_to: float) -> _Measured | None:
    """How far the surface of the regions lies from what holds it; None where there is nothing to hold."""
    free_span, overhangs = state.job.material.free_span, part.overhangs
    faces = overhangs.faces_to_hold
    faces = faces[overhangs.mesh.face_highs[faces, 2] > rests_to]
    if not len(faces):
        return None
    samples = _samples(part, faces, 0.4 * free_span.spans[0])
    state.watch.at(0.78, f"measuring distances on {part.part.name}")
    distance = _distances(samples, contacts, part, faces)
    limits = np.interp(overhangs.surface_angle[samples.faces], free_span.angles, free_span.spans)
    return _Measured(samples.places, overhangs.region_of_face[samples.faces], distance, limits)


def held_shares(state: BuildState, part: PartState) -> Floats:
    """(r,): the share of each region of a part that lies near enough to a hold; 1 where it supports itself."""
    overhangs = part.overhangs
    shares = np.ones(len(overhangs.regions))
    contacts, rests_to = state.contacts_of(part.part), _rests_to(state, part)
    measured = _measured(state, part, contacts, rests_to)
    if measured is not None:
        count = np.bincount(measured.regions, minlength=len(shares))
        held = np.bincount(measured.regions, weights=measured.distance <= measured.limit, minlength=len(shares))
        shares = np.where(count > 0, held / np.maximum(count, 1), shares)
    for region, _, away in _low_places(part, contacts, rests_to):
        shares[region.id] = (away <= state.job.material.free_span.at(0)).mean()
    return shares


def _low_place_not_held(
    state: BuildState, part: PartState, region: Region, places: Floats, away: Floats
) -> Iterator[Finding]:
    span = state.job.material.free_span.at(0)
    worst = int(away.argmax())
    if away[worst] > span:
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


def _distances(samples: SurfacePoints, contacts: Floats, part: PartState, faces: Longs) -> Floats:
    result = np.full(len(samples), np.inf)
    if len(contacts):
        result = cKDTree(contacts).query(samples.places, workers=-1)[0]
    rim_places, rim_regions = _carrying_rim(part, faces)
    if len(rim_places):
        # Regions are kept apart in the tree by a fourth coordinate.
        regions = part.overhangs.region_of_face[samples.faces]
        tree = cKDTree(np.column_stack([rim_places, rim_regions * _APART]))
        own = tree.query(np.column_stack([samples.places, regions * _APART]), workers=-1)[0]
        result = np.minimum(result, np.where(own < 0.5 * _APART, own, np.inf))
    return result


def _carrying_rim(part: PartState, faces: Longs) -> tuple[Floats, Ints]:
    """Places along the rim where the part itself carries, a quarter of a millimetre apart."""
    overhangs = part.overhangs
    rim = find_rim(part.topology, overhangs.mesh, overhangs.region_of_face, faces)
    carries = rim.kinds != FREE
    starts, stops, regions = rim.starts[carries], rim.stops[carries], rim.regions[carries]
    steps = np.maximum(1, np.ceil(np.linalg.norm(stops - starts, axis=1) / _RIM_STEP_MM).astype(int))
    which, within = counted_out(steps + 1)
    share = (within / steps[which])[:, None]
    return starts[which] + share * (stops - starts)[which], regions[which]


def _islands_not_held(state: BuildState, part: PartState, contacts: Floats, rests_to: float) -> Iterator[Finding]:
    """An island is supported by a contact of its own region, or one within the span of a flat ceiling."""
    span = state.job.material.free_span.at(0)
    served, mesh = _served_regions(state, part), part.overhangs.mesh
    vertices = np.array([island.vertex for island in part.islands], np.int64)
    if not len(vertices):
        return
    places = mesh.vertices[vertices]
    away_from_holds = cKDTree(contacts).query(places)[0] if len(contacts) else np.full(len(vertices), np.inf)
    regions_at = _regions_at(part, vertices)
    for island, place, away, its_regions in zip(part.islands, places, away_from_holds, regions_at, strict=True):
        if place[2] <= rests_to or its_regions & served or away <= span:
            continue
        yield Finding(
            "island_not_held", "stop", part.part.name,
            f"an island of {island.area_mm2:.2f} mm² starts in the air at {island.z_mm:.2f} mm",
            cause="its first layer has nothing below, and no support reaches it",
            at_mm=tuple(place.tolist()), value=float(away) if np.isfinite(away) else None, limit=span, unit="mm",
            source=state.job.material.free_span.source, part_id=part.part.id,
            cures=(Cure("Support its region", SupportRegions(part.part.id, tuple(sorted(its_regions)))),),
        )  # fmt: skip


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


def _served_regions(state: BuildState, part: PartState) -> set[int]:
    return {number for held in state.supports_of(part.part) for number in held.structure.served}
