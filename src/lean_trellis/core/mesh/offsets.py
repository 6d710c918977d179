"""How far one has to go up or down from a mesh until all of it is a distance away: its offset, as heights."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, counted_out
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.distance import nearest_on_triangles
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.plan_grid import PlanGrid

_MOST_PAIRS = 300_000
_MOST_STEPS = 12
_SAME_MM = 1e-9
_FLAT = 1e-6
_ABREAST_MM = 1e-4
"""Beside an edge in plan by no more, a place lies under both faces."""


@dataclass(frozen=True, eq=False)
class OffsetHeights:
    """Of each place (n, k): the height of the `surface`, of its `offset`, and whether it is `over` a face at all.

    `steep` (n, k) is a distance along that face's normal over that along z, 1 beside the mesh, where the surface is
    taken to go on as it was guessed. `slopes` (n, k, 2) is how the offset rises along x and y.
    """

    surface: Floats
    offset: Floats
    slopes: Floats
    steep: Floats
    over: Bools


@heavy
def offset_heights(
    mesh: Mesh, places: Floats, guess: Floats, distances: Floats, reach_mm: Floats, *, from_below: bool
) -> OffsetHeights:
    """Heights over groups of places (n, k, 2) at which all of the mesh is at least `distances` (n,) away.

    From the face nearest to the `guess` (n, k) height there that looks down, or up where it is not met `from_below`,
    the way goes straight away from it until no face of the mesh within `reach_mm` (n,) of the guesses is nearer than
    the distance; where there is no such face within half of the reach, it goes from the guess itself. Exact: each
    triangle grown by a ball is cut by the upright line through the place. Only surfaces count: what lies between two
    of them farther apart is free, inside a solid, too. A group's triangles are found together, by its box in plan.
    """
    sign = -1.0 if from_below else 1.0
    result = OffsetHeights(
        guess.copy(), guess.copy(), np.zeros((*guess.shape, 2)), np.ones(guess.shape), np.zeros(guess.shape, bool)
    )
    if not len(places) or not len(mesh.faces):
        return result
    spare = distances[:, None]
    lows = np.column_stack([places.min(axis=1) - spare, guess.min(axis=1) - reach_mm])
    highs = np.column_stack([places.max(axis=1) + spare, guess.max(axis=1) + reach_mm])
    face, group = _near(mesh, lows, highs)
    size = places.shape[1]
    counts = np.bincount(group, minlength=len(places))
    begins = np.concatenate([[0], np.cumsum(counts)])
    first = 0
    while first < len(places):  # so many groups at a time as there is room for
        last = max(first + 1, int(np.searchsorted(begins, begins[first] + _MOST_PAIRS // size, side="right")) - 1)
        chosen = slice(begins[first], begins[last])
        mine = slice(first, last)
        found = _of_groups(
            mesh.vertices[mesh.faces[face[chosen]]] * [1, 1, sign], mesh.normals[face[chosen]] * [1, 1, sign],
            group[chosen] - first, places[mine], guess[mine] * sign, distances[mine], reach_mm[mine],
        )  # fmt: skip
        result.surface[mine], result.offset[mine] = found.surface * sign, found.offset * sign
        result.slopes[mine], result.steep[mine], result.over[mine] = found.slopes * sign, found.steep, found.over
        first = last
    return result


def _near(mesh: Mesh, lows: Floats, highs: Floats) -> tuple[Longs, Longs]:
    """Pairs of faces and groups whose boxes meet, those of one group together."""
    pairs = list(PlanGrid.of(mesh).pairs(lows, highs))
    face, group = (np.concatenate(column) for column in zip(*pairs, strict=True)) if pairs else (np.zeros(0, int),) * 2
    order = np.argsort(group, kind="stable")
    return face[order], group[order]


def _of_groups(
    corners: Floats, normals: Floats, group: Longs, places: Floats, guess: Floats, distances: Floats, reach: Floats
) -> OffsetHeights:
    """As `offset_heights`, always from above, for triangles (t, 3, 3) each in one group."""
    count, size = guess.shape
    triangle, within = counted_out(np.full(len(group), size))
    place = group[triangle] * size + within
    low, high = corners.min(axis=1)[:, :2], corners.max(axis=1)[:, :2]
    at, away = places.reshape(-1, 2), distances[group]
    inside = (at[place] >= (low - away[:, None])[triangle]) & (at[place] <= (high + away[:, None])[triangle])
    near = inside[:, 0] & inside[:, 1]
    triangle, place = triangle[near], place[near]
    heights = guess.reshape(-1)
    surface, slopes, is_over = _surfaces(corners, normals, triangle, place, at, heights, np.repeat(reach / 2, size))
    steep = np.sqrt(1 + (slopes**2).sum(axis=1))
    offset = _risen(corners, normals, triangle, place, at, surface, np.repeat(distances, size), slopes)
    shape = (count, size)
    return OffsetHeights(
        surface.reshape(shape), offset.reshape(shape), slopes.reshape(*shape, 2), steep.reshape(shape),
        is_over.reshape(shape),
    )  # fmt: skip


def _surfaces(
    corners: Floats, normals: Floats, triangle: Longs, place: Longs, at: Floats, guess: Floats, farthest: Floats
) -> tuple[Floats, Floats, Bools]:
    """Over places (p, 2): heights (p,) of the faces nearest to the guesses, how these rise (p, 2), if there is one."""
    n = normals[triangle]
    over = (n[:, 2] > _FLAT) & _holds(corners[triangle], at[place])
    triangle, place, n = triangle[over], place[over], n[over]
    height = _plane(corners[triangle, 0], n, at[place])
    near = np.abs(height - guess[place]) <= farthest[place]
    place, n, height = place[near], n[near], height[near]
    surface, slopes, is_over = guess.copy(), np.zeros((len(guess), 2)), np.zeros(len(guess), bool)
    nearest = np.lexsort((np.abs(height - guess[place]), place))
    firsts = nearest[np.append(True, np.diff(place[nearest]) != 0)[: len(nearest)]]
    surface[place[firsts]], is_over[place[firsts]] = height[firsts], True
    slopes[place[firsts]] = -n[firsts, :2] / n[firsts, 2:]
    return surface, slopes, is_over


def _holds(corners: Floats, at: Floats) -> Bools:
    """(p,): whether each place lies over its triangle, its rim included."""
    inside = np.ones((2, len(at)), bool)
    for one in range(3):
        a, b = corners[:, one, :2], corners[:, (one + 1) % 3, :2]
        step = b - a
        turn = step[:, 0] * (at - a)[:, 1] - step[:, 1] * (at - a)[:, 0]
        spare = _ABREAST_MM * np.hypot(step[:, 0], step[:, 1])
        inside[0] &= turn >= -spare
        inside[1] &= turn <= spare
    result: Bools = inside[0] | inside[1]
    return result


def _plane(through: Floats, normals: Floats, at: Floats) -> Floats:
    """(p,): the height of each plane over a place; normals are not level."""
    result: Floats = through[:, 2] - ((at - through[:, :2]) * normals[:, :2]).sum(axis=1) / normals[:, 2]
    return result


def _risen(
    corners: Floats, normals: Floats, triangle: Longs, place: Longs, at: Floats, surface: Floats, distance: Floats,
    slopes: Floats,
) -> Floats:  # fmt: skip
    """(p,): from the surfaces up, step by step, to where no triangle is nearer than the distance.

    `slopes` (p, 2) become those of the offset, where it is one: square to the way to the nearest place of the mesh.
    """
    current, last = surface.copy(), np.full(len(surface), -1)
    some = corners[triangle, :, 2].max(axis=1) + distance[place] > current[place] + _SAME_MM
    triangle, place = triangle[some], place[some]
    low, high = _within(corners[triangle], normals[triangle], at[place], distance[place])
    for _ in range(_MOST_STEPS):
        blocks = (low < current[place] + _SAME_MM) & (high > current[place] + _SAME_MM)
        if not blocks.any():
            break
        order = np.flatnonzero(blocks)
        order = order[np.lexsort((high[order], place[order]))]
        tops = order[np.append(np.diff(place[order]) != 0, True)]
        higher = tops[high[tops] > current[place[tops]]]
        current[place[higher]], last[place[higher]] = high[higher], triangle[higher]
        triangle, place, low, high = triangle[~blocks], place[~blocks], low[~blocks], high[~blocks]
    moved = np.flatnonzero(last >= 0)
    off = np.column_stack([at[moved], current[moved]])
    away = off - nearest_on_triangles(off, corners[last[moved]])
    rises = np.abs(away[:, 2]) > _FLAT
    slopes[moved[rises]] = -away[rises, :2] / away[rises, 2:]
    return current


def _within(corners: Floats, normals: Floats, at: Floats, distance: Floats) -> tuple[Floats, Floats]:
    """From and to which height (p,) an upright line is nearer to each triangle than its distance; inf, -inf for never.

    The triangle grown by a ball is convex, so the least and the greatest of what the line has in common with its
    corners' balls, its edges' cylinders and its face's two sides are the ends.
    """
    low, high = np.full(len(at), np.inf), np.full(len(at), -np.inf)

    def take(heights: Floats, valid: Bools) -> None:
        np.minimum(low, heights, out=low, where=valid)
        np.maximum(high, heights, out=high, where=valid)

    squared = distance**2
    for one in range(3):
        a, b = corners[:, one], corners[:, (one + 1) % 3]
        aside = at - a[:, :2]
        flat = (aside**2).sum(axis=1)
        ball = np.sqrt(np.maximum(squared - flat, 0.0))
        for side in (-1, 1):
            take(a[:, 2] + side * ball, flat <= squared)
        step = b - a
        length = np.maximum((step**2).sum(axis=1), 1e-30)
        level = 1 - step[:, 2] ** 2 / length
        along = (aside * step[:, :2]).sum(axis=1)
        middle = along * step[:, 2] / length
        rest = flat - along**2 / length - squared
        inner = middle**2 - level * rest
        fits = (inner >= 0) & (level > _FLAT)
        root = np.sqrt(np.maximum(inner, 0.0))
        safe = np.where(level > _FLAT, level, 1.0)
        for side in (-1, 1):
            rise = (middle + side * root) / safe
            share = (along + rise * step[:, 2]) / length
            take(a[:, 2] + rise, fits & (share >= 0) & (share <= 1))
    is_level = np.abs(normals[:, 2]) > _FLAT
    n = np.where(is_level[:, None], normals, [0.0, 0.0, 1.0])
    height = _plane(corners[:, 0], n, at)
    for side in (-1, 1):
        foot = at - side * distance[:, None] * n[:, :2]
        take(height + side * distance / n[:, 2], is_level & _holds(corners, foot))
    return low, high
