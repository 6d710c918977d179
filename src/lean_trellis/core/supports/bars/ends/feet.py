"""Feet: the profile of one, and one foot under several bars."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from shapely import STRtree, box, buffer, convex_hull, intersects, multipoints, points, polygons

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.supports.bars.clearing import first_come
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.struts import SharedFeet
from lean_trellis.core.supports.common.obstacle import Ground, Obstacle

_CORNERS = 48
_MOST_LINKED = 1500
_FLAT = 1e-6
_MOST_SPLITS = 3
_APART_MM = 0.1
FOOT_SHARE = 0.4
"""A foot's radius over the distance of the nearest other foot: as wide as it may be, a fifth of that stays free."""


@dataclass(frozen=True, eq=False)
class FootProfile:
    """Of each foot the heights above the plate (n,) and radii (n,) of its three rings; the first is on the plate."""

    heights: tuple[Floats, Floats, Floats]
    radii: tuple[Floats, Floats, Floats]


def foot_profile(feet: Floats, shafts: Floats, rooms: Floats, parameters: BarParameters) -> FootProfile:
    """Feet of radii `feet` (n,) on the plate under shafts of radii (n,), no higher than `rooms` (n,), mm.

    Without a slope they narrow evenly to the shaft over their height; with one, the rest is a flat step.
    """
    height = np.minimum(parameters.foot_height, rooms)
    if parameters.foot_height < _FLAT:  # no foot: the shaft goes down to the plate
        height, feet = 0.2 * rooms, shafts
    slope = parameters.foot_slope
    if slope is None:
        top = shafts
    else:
        top = np.maximum(feet - height * np.tan(np.radians(slope)), shafts)
        if slope > 0:
            cone = (feet - shafts) / np.tan(np.radians(slope))
            height = np.minimum(height, np.maximum(cone, 0.05 * height))
    has_step = top > shafts + _FLAT
    middle = np.where(has_step, height, height / 2)
    middle_radius = np.where(has_step, top, (feet + shafts) / 2)
    return FootProfile((np.zeros(len(feet)), middle, height), (feet, middle_radius, shafts))


def foot_groups(places: Floats, span: float) -> Longs:
    """(n,): a group for each (n, 2) place such that no two of a group are farther apart than `span`.

    Groups are found by complete linkage; very large heaps are first cut into cells of the span's size.
    """
    count = len(places)
    if count < 2 or span <= 0:
        return np.arange(count)
    pairs = place_tree(places).query_pairs(span, output_type="ndarray")
    heaps = components_of(count, pairs[:, 0], pairs[:, 1])
    groups = np.zeros(count, np.int64)
    first = 0
    from scipy.cluster.hierarchy import fcluster, linkage  # not before it is needed: a window starts without it

    for heap in range(int(heaps.max()) + 1):
        mine = np.flatnonzero(heaps == heap)
        if len(mine) > _MOST_LINKED:
            cells = np.floor(places[mine] / (span / 2**0.5)).astype(np.int64)
            labels = np.unique(cells, axis=0, return_inverse=True)[1].reshape(-1)
        elif len(mine) > 1:
            labels = fcluster(linkage(places[mine], "complete"), span, "distance") - 1
        else:
            labels = np.zeros(1, np.int64)
        groups[mine] = first + labels
        first += int(labels.max()) + 1
    return groups


def shared_feet(
    places: Floats,
    radii: Floats,
    parameters: BarParameters,
    critical_angle: float,
    obstacles: Sequence[Obstacle],
    ground: Ground | None,
) -> tuple[SharedFeet, Longs]:
    """Feet under bars whose (n, 2) places lie within the group span, and the shared foot of each bar (n,), -1 for none.

    A foot covers the hull of those of its bars, `radii` (n,). Where that would meet a part or a zone, or reach beyond
    the plate, its bars are parted into smaller groups, and in the end keep feet of their own.
    """
    owner = np.full(len(places), -1, np.int64)
    outlines = [np.zeros((0, 4, _CORNERS, 3))]
    first, span = 0, parameters.group_span
    for _ in range(_MOST_SPLITS):
        alone = np.flatnonzero(owner < 0)
        groups = foot_groups(places[alone], span)
        counts = np.bincount(groups, minlength=1)
        wanted = np.flatnonzero(counts > 1)
        if len(wanted):
            members = [alone[groups == group] for group in wanted]
            sizes = [_size_of_foot(places, radii, mine, parameters) for mine in members]
            rings = np.stack([
                _rings(places[mine], size, parameters, critical_angle)
                for mine, size in zip(members, sizes, strict=True)
            ])  # fmt: skip
            free = _are_free(rings, parameters, obstacles, ground)
            if parameters.bar_clearance is not None:
                taken = np.concatenate(outlines)
                free &= _are_apart(rings, taken, places, members, parameters.shaft_diameter / 2, free)
            for number, group in enumerate(np.flatnonzero(free).tolist(), start=first):
                owner[members[group]] = number
            first += int(free.sum())
            outlines.append(rings[free])
            if free.all():
                break
        span /= 2
    return SharedFeet(np.concatenate(outlines)), owner


def _size_of_foot(places: Floats, radii: Floats, mine: Longs, parameters: BarParameters) -> float:
    """How far a shared foot reaches beyond its bars: as their own feet, but off those of others."""
    widest = float(radii[mine].max())
    others = np.setdiff1d(np.arange(len(places)), mine)
    if parameters.bar_clearance is None or not len(others):
        return widest
    away = float(place_tree(places[others]).query(places[mine])[0].min())
    return min(widest, max(FOOT_SHARE * away - parameters.foot_flare, parameters.shaft_diameter / 2))


def _rings(places: Floats, radius: float, parameters: BarParameters, critical_angle: float) -> Floats:
    """(4, k, 3): on the plate, above the gap for a lever, at the top of the slope, and the top.

    Corners are where the hull of the feet reaches farthest in each of so many directions, moved out by the radius.
    """
    turn = 2 * np.pi * (np.arange(_CORNERS) + 0.5) / _CORNERS
    outward = np.column_stack([np.cos(turn), np.sin(turn)])
    support = places[np.argmax(outward @ places.T, axis=1)]
    height, gap = max(parameters.foot_height, 0.2), parameters.lever_gap
    under = min(gap * np.tan(np.radians(90 - critical_angle)), 0.9 * radius)
    slope = 0.0 if parameters.foot_slope is None else parameters.foot_slope
    inward = min((height - gap) * np.tan(np.radians(slope)), 0.9 * radius)
    middle = gap if gap > 0 else height / 3
    levels = np.array([0.0, middle, (middle + height) / 2, height])
    reach = radius - (levels - gap) / (height - gap) * inward
    reach[0] = radius - under
    rings = np.empty((4, _CORNERS, 3))
    rings[..., :2] = support + reach[:, None, None] * outward
    rings[..., 2] = levels[:, None]
    return rings


def _are_apart(
    rings: Floats, taken: Floats, places: Floats, members: Sequence[Longs], shaft: float, may: Bools
) -> Bools:
    """(f,): whether feet meet none that is taken, none before them, and no bar that is not theirs."""
    hulls, there = (
        convex_hull(multipoints(some[..., :2].reshape(len(some), 4 * _CORNERS, 2))) for some in (rings, taken)
    )
    free = may.copy()
    foot, place = STRtree(points(places)).query(hulls, predicate="dwithin", distance=shaft + _APART_MM)
    own = np.array([at in set(members[number].tolist()) for number, at in zip(foot, place, strict=True)], bool)
    free[foot[~own]] = False
    if len(there):
        free[STRtree(there).query(hulls, predicate="dwithin", distance=_APART_MM)[0]] = False
    pairs = STRtree(hulls).query(hulls, predicate="dwithin", distance=_APART_MM).T
    first_come(pairs, free)
    return free


def _are_free(rings: Floats, parameters: BarParameters, obstacles: Sequence[Obstacle], ground: Ground | None) -> Bools:
    """(f,): whether no part comes nearer to a foot than the clearance, and it stands where it may."""
    outlines = convex_hull(multipoints(rings[..., :2].reshape(len(rings), -1, 2)))
    around = buffer(outlines, parameters.part_clearance)
    top = float(rings[..., 2].max()) + parameters.part_clearance
    free = np.ones(len(rings), bool)
    for obstacle in obstacles:
        low = np.flatnonzero(obstacle.placed.face_lows[:, 2] < top)
        if len(low):
            corners = obstacle.placed.vertices[obstacle.placed.faces[low]][:, :, :2]
            tree = STRtree(polygons(np.concatenate([corners, corners[:, :1]], axis=1)))
            free[tree.query(around, predicate="intersects")[0]] = False
    if ground is not None:
        stands = ground.holds(rings[..., :2].reshape(-1, 2), 0.0).reshape(len(rings), -1)
        free &= np.logical_and.reduce(stands, axis=1)
        for zone in ground.machine.zones:
            free &= ~intersects(outlines, box(zone.x, zone.y, zone.x + zone.width, zone.y + zone.depth))
    return free
