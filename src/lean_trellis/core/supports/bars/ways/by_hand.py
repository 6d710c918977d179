"""Work by hand on bars: where it is on the part in its pose, what of it can be kept, ways drawn by hand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs
from lean_trellis.core.mesh.distance import point_triangle_distances
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.supports.bars.holds import SupportPoints, along_edges
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.struts import BY_HAND, ON_PLATE, Struts, leans_of
from lean_trellis.core.supports.bars.ways.lean import room_for_feet
from lean_trellis.core.supports.bars.ways.route import Ways
from lean_trellis.core.supports.common.obstacle import Ground, Obstacle, clearances
from lean_trellis.core.supports.common.structure import Unkept
from lean_trellis.core.supports.common.support import HandBar, HandWork, Tie

_FROM_BELOW_MM = 0.05
_ON_EDGE_MM = 0.12
_FACES_DOWN = -0.02
_UP = np.array([0.0, 0.0, 1.0])


@dataclass(frozen=True, eq=False)
class HandHolds:
    """Support points set by hand that are still there, the `faces` (k,) they lie on, and which bar each is (k,)."""

    holds: SupportPoints
    faces: Longs
    numbers: Longs


def placed_by_hand(hand: HandWork, topology: Topology, overhangs: Overhangs, own: Obstacle) -> tuple[HandHolds, Unkept]:
    """Bars by hand on the part in its pose.

    One is kept where its surface still needs support, or where it was set on purpose though nothing needs it and the
    surface still looks down; the others are reported with the reason.
    """
    places = own.pose.to_plate(own.tree.mesh, np.array([bar.place for bar in hand.bars]).reshape(-1, 3))
    faces = _faces_at(places, own)
    regions, on_low = _regions_at(places, faces, topology, overhangs)
    normals = np.where(on_low[:, None], -_UP, overhangs.mesh.normals[np.maximum(faces, 0)])
    wilful = np.array([bar.on_any_slope for bar in hand.bars], bool)
    needs = (regions >= 0) | on_low | (overhangs.critical[np.maximum(faces, 0)] & (faces >= 0))
    kept = (faces >= 0) & (needs | (wilful & (normals[:, 2] < _FACES_DOWN)))
    reasons = [
        "the surface is not there any more" if face < 0 else "the surface there is no longer below the critical angle"
        for face in faces[~kept].tolist()
    ]
    numbers = np.flatnonzero(kept)
    holds = SupportPoints(places[kept], normals[kept], regions[kept].astype(np.int32))
    return HandHolds(holds, faces[kept], numbers), Unkept(places[~kept], tuple(reasons))


def _faces_at(places: Floats, own: Obstacle) -> Longs:
    """(k,): the face at each place, found from just below; by distance where it is too steep for that; -1 for none."""
    faces = np.full(len(places), -1, np.int64)
    if not len(places):
        return faces
    mesh = own.tree.mesh
    start = own.pose.to_part(mesh, places - _FROM_BELOW_MM * _UP)
    hits = own.tree.first_hits(start, np.broadcast_to(_UP @ own.pose.matrix, places.shape))
    near = hits.distance <= 2 * _FROM_BELOW_MM
    faces[near] = hits.face[near]
    placed = own.placed
    for number in np.flatnonzero(~near).tolist():
        place, reach = places[number], _FROM_BELOW_MM
        around = np.flatnonzero(
            ((placed.face_lows <= place + reach) & (placed.face_highs >= place - reach)).all(axis=1)
        )
        if len(around):
            corners = placed.vertices[placed.faces[around]]
            away = point_triangle_distances(np.broadcast_to(place, (len(around), 3)), corners)
            if away.min() <= reach:
                faces[number] = around[int(away.argmin())]
    return faces


def _regions_at(places: Floats, faces: Longs, topology: Topology, overhangs: Overhangs) -> tuple[Ints, Bools]:
    """The region (k,) at each place, -1 for none, and whether it is a low edge or point."""
    regions = np.where(faces >= 0, overhangs.region_of_face[np.maximum(faces, 0)], -1).astype(np.int32)
    on_low = np.zeros(len(places), bool)
    for region in overhangs.regions:
        if region.kind == "face" or not len(places):
            continue
        along = overhangs.mesh.vertices[region.vertices]
        if region.kind == "edge":
            along = along_edges(topology, overhangs.mesh, region.vertices, 0.2)
        near = place_tree(along).query(places, distance_upper_bound=_ON_EDGE_MM)[0] <= _ON_EDGE_MM
        regions[near & ~on_low] = region.id
        on_low |= near
    return regions, on_low


def given_up(hand: HandWork, own: Obstacle) -> Floats:
    """(k, 3): the places from which bars were deleted by hand, on the plate's frame."""
    places = np.array([entry.place for entry in hand.removed]).reshape(-1, 3)
    return own.pose.to_plate(own.tree.mesh, places)


def without_removed(holds: SupportPoints, hand: HandWork, gone: Floats) -> SupportPoints:
    """Generated support points without those near places (k, 3) from which they were deleted by hand."""
    if not len(gone) or not len(holds):
        return holds
    kept = np.ones(len(holds), bool)
    tree = place_tree(holds.places)
    for place, entry in zip(gone, hand.removed, strict=True):
        kept[tree.query_ball_point(place, entry.radius)] = False
    return holds.only(kept)


def drawn_ways(
    ways: Ways,
    holds: SupportPoints,
    bars: Sequence[HandBar],
    parameters: BarParameters,
    obstacles: Sequence[Obstacle],
    ground: Ground | None,
) -> tuple[Ways, Unkept]:
    """The ways with those that were drawn by hand put in, as far as they are free and lean no more than the limit.

    One that is not keeps the way that was found for it, and is reported with the reason.
    """
    routed = np.array([bar.is_routed for bar in bars], bool)
    which = np.flatnonzero(routed)
    if not len(which):
        return ways, Unkept()
    bases, places = ways.tip_bases[which], holds.places[which]
    bends, feet = _asked(bases, places, [bars[number] for number in which.tolist()], parameters)
    reasons, rooms = _faults_of(bases, bends, feet, parameters, obstacles, ground)
    good = np.array([not reason for reason in reasons], bool)
    taken = which[good]
    changed = {
        key: getattr(ways, key).copy() for key in ("bends", "bottoms", "landings", "foot_radii", "faults", "whys")
    }
    changed["bends"][taken], changed["bottoms"][taken] = bends[good], feet[good]
    changed["landings"][taken], changed["faults"][taken] = ON_PLATE, 0
    changed["foot_radii"][taken], changed["whys"][taken] = rooms[good], BY_HAND
    sentences = tuple(f"its way by hand is not kept: {reason}" for reason in reasons if reason)
    return replace(ways, **changed), Unkept(places[~good], sentences)


def _asked(bases: Floats, places: Floats, bars: Sequence[HandBar], parameters: BarParameters) -> tuple[Floats, Floats]:
    """Bends and feet (k, 3) as they were drawn; what was not drawn follows from what was.

    A foot alone: the bar leans towards it from its tip as far as it may, then goes straight down. A bend alone: the
    foot is below it.
    """
    bends, feet = bases.copy(), bases * [1, 1, 0]
    slope = np.tan(np.radians(max(parameters.lean_limit, 1e-3)))
    for number, bar in enumerate(bars):
        if bar.bend is not None:
            bends[number] = places[number] + bar.bend
            feet[number, :2] = bends[number, :2]
        if bar.foot is not None:
            feet[number, :2] = places[number, :2] + bar.foot
            if bar.bend is None:
                aside = float(np.hypot(*(feet[number] - bases[number])[:2]))
                bends[number] = [*feet[number, :2], bases[number, 2] - aside / slope]
    return bends, feet


def _faults_of(
    bases: Floats,
    bends: Floats,
    feet: Floats,
    parameters: BarParameters,
    obstacles: Sequence[Obstacle],
    ground: Ground | None,
) -> tuple[list[str], Floats]:
    """What is wrong with each way, nothing where it is good, and the radius that its foot has room for (k,)."""
    shaft = parameters.shaft_diameter / 2
    rooms = room_for_feet(bases, bends, feet, parameters, obstacles)
    leans = np.maximum(leans_of(bends, bases), leans_of(feet, bends))
    stands = np.ones(len(bases), bool) if ground is None else ground.holds(feet[:, :2], shaft)
    reasons = []
    for number in range(len(bases)):
        if bends[number, 2] < parameters.foot_height + 0.1:
            reasons.append("there is too little height to lean that far")
        elif leans[number] > parameters.lean_limit + 0.01:
            reasons.append(f"it would lean more than {parameters.lean_limit:g}°")
        elif not stands[number]:
            reasons.append("outside the plate or in a keep-out zone")
        elif rooms[number] < shaft - 1e-9:
            reasons.append("too close to the part")
        else:
            reasons.append("")
    return reasons, rooms


def tied(ties: Sequence[Tie], own: Obstacle, reach: float) -> tuple[Struts, Unkept]:
    """Bars between two places of the part. One whose middle lies in the part, or beyond it, is reported."""
    if not ties:
        return Struts(), Unkept()
    ends = np.array([(tie.start, tie.stop) for tie in ties])
    starts, stops = (own.pose.to_plate(own.tree.mesh, ends[:, side]) for side in (0, 1))
    gone = [
        number for number in range(len(ties))
        if (_faces_near(np.array([starts[number], stops[number]]), own) > reach).any()
    ]  # fmt: skip
    kept = np.setdiff1d(np.arange(len(ties)), gone)
    along = stops - starts
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-9)
    radii = np.array([tie.diameter / 2 for tie in ties])
    sunk = along * np.minimum(radii, reach)[:, None]
    struts = Struts((starts - sunk)[kept], (stops + sunk)[kept], radii[kept], np.zeros((len(kept), 2), np.int64))
    return struts, Unkept(starts[gone], ("an end of the tie is not on the part any more",) * len(gone))


def _faces_near(places: Floats, own: Obstacle) -> Floats:
    """(k,): distance of each place from the part's surface, at most 1 mm."""
    return clearances([own], places, places, np.ones(len(places)))
