"""How far one has to go up or down from a mesh until all of it is a distance away: its offset, as heights."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.arrays import AnyArray, Bools, Floats, Longs
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
    mesh: Mesh, places: Floats, guess: Floats, distances: Floats, reach_mm: Floats, *, from_below: bool,
    from_guess: bool = False,
) -> OffsetHeights:  # fmt: skip
    """Heights over groups of places (n, k, 2) at which all of the mesh is at least `distances` (n,) away.

    From the face nearest to the `guess` (n, k) height there that looks down, or up where it is not met `from_below`,
    the way goes straight away from it until no face of the mesh within `reach_mm` (n,) of the guesses is nearer than
    the distance; where there is no such face within half of the reach, or `from_guess`, it goes from the guess itself.
    Exact: each triangle grown by a ball is cut by the upright line through the place. Only surfaces count: what lies
    between two of them farther apart is free, inside a solid, too. A group's triangles are found together, by its box
    in plan.
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
        heights = _of_groups(
            mesh.vertices[mesh.faces[face[chosen]]] * [1, 1, sign], mesh.normals[face[chosen]] * [1, 1, sign],
            group[chosen] - first, places[mine], guess[mine] * sign, distances[mine],
            np.full(last - first, -1.0) if from_guess else reach_mm[mine],
        )  # fmt: skip
        result.surface[mine], result.offset[mine] = heights.surface * sign, heights.offset * sign
        result.slopes[mine], result.steep[mine], result.over[mine] = heights.slopes * sign, heights.steep, heights.over
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
    x, y = (np.ascontiguousarray(places[:, :, axis]) for axis in range(2))
    low, high = corners.min(axis=1), corners.max(axis=1)
    away = distances[group]
    near = (x[group] >= (low[:, 0] - away)[:, None]) & (x[group] <= (high[:, 0] + away)[:, None])
    near &= (y[group] >= (low[:, 1] - away)[:, None]) & (y[group] <= (high[:, 1] + away)[:, None])
    triangle, within = np.nonzero(near)
    place, at = group[triangle] * size + within, places.reshape(-1, 2)
    heights = guess.reshape(-1)
    pairs = _Pairs(np.ascontiguousarray(corners.transpose(1, 2, 0)), np.ascontiguousarray(normals.T), triangle, place,
                   np.ascontiguousarray(at.T))  # fmt: skip
    surface, slopes, is_over = _surfaces(pairs, heights, np.repeat(reach / 2, size))
    steep = np.sqrt(1 + (slopes**2).sum(axis=1))
    offset = _risen(pairs, surface, np.repeat(distances, size), slopes)
    shape = (count, size)
    return OffsetHeights(
        surface.reshape(shape), offset.reshape(shape), slopes.reshape(*shape, 2), steep.reshape(shape),
        is_over.reshape(shape),
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Pairs:
    """Triangles and places that belong together: the numbers (p,) of both.

    Of the triangles `corners` (3, 3, t) by corner and axis, and `normals` (3, t); of the places `at` (2, q) in plan.
    """

    corners: Floats
    normals: Floats
    triangle: Longs
    place: Longs
    at: Floats

    def only(self, which: AnyArray) -> _Pairs:
        """Some of them."""
        return replace(self, triangle=self.triangle[which], place=self.place[which])

    @property
    def planes(self) -> Floats:
        """(p,): the height of each triangle's plane over its place; meaningless for upright ones."""
        n, (x, y, z) = self.normals[:, self.triangle], self.corners[0][:, self.triangle]
        u, v = self.at[:, self.place]
        result: Floats = z - ((u - x) * n[0] + (v - y) * n[1]) / np.where(np.abs(n[2]) > _FLAT, n[2], 1.0)
        return result


def _surfaces(pairs: _Pairs, guess: Floats, farthest: Floats) -> tuple[Floats, Floats, Bools]:
    """Over places (p, 2): heights (p,) of the faces nearest to the guesses, how these rise (p, 2), if there is one."""
    pairs = pairs.only(np.flatnonzero(pairs.normals[2, pairs.triangle] > _FLAT))
    low, high = pairs.corners[:, :2].min(axis=0) - _ABREAST_MM, pairs.corners[:, :2].max(axis=0) + _ABREAST_MM
    for axis in range(2):
        along = pairs.at[axis, pairs.place]
        within = (along >= low[axis, pairs.triangle]) & (along <= high[axis, pairs.triangle])
        pairs = pairs.only(np.flatnonzero(within))
    pairs = pairs.only(_holds(pairs.corners[:, :2, pairs.triangle], pairs.at[:, pairs.place]))
    height = pairs.planes
    near = np.abs(height - guess[pairs.place]) <= farthest[pairs.place]
    pairs, height = pairs.only(near), height[near]
    place, n = pairs.place, pairs.normals[:, pairs.triangle].T
    surface, slopes, is_over = guess.copy(), np.zeros((len(guess), 2)), np.zeros(len(guess), bool)
    nearest = np.lexsort((np.abs(height - guess[place]), place))
    firsts = nearest[np.append(True, np.diff(place[nearest]) != 0)[: len(nearest)]]
    surface[place[firsts]], is_over[place[firsts]] = height[firsts], True
    slopes[place[firsts]] = -n[firsts, :2] / n[firsts, 2:]
    return surface, slopes, is_over


def _holds(corners: Floats, at: Floats) -> Bools:
    """(p,): whether each place (2, p) lies over its triangle (3, 2, p), its rim included."""
    inside = np.ones((2, at.shape[1]), bool)
    for one in range(3):
        (x, y), (u, v) = corners[one], corners[(one + 1) % 3]
        along, across = u - x, v - y
        turn = along * (at[1] - y) - across * (at[0] - x)
        spare = _ABREAST_MM * np.sqrt(along * along + across * across)
        inside[0] &= turn >= -spare
        inside[1] &= turn <= spare
    result: Bools = inside[0] | inside[1]
    return result


def _risen(pairs: _Pairs, surface: Floats, distance: Floats, slopes: Floats) -> Floats:
    """(q,): from the surfaces up, step by step, to where no triangle is nearer than the distance.

    `slopes` (q, 2) become those of the offset, where it is one: square to the way to the nearest place of the mesh.
    """
    current, last = surface.copy(), np.full(len(surface), -1)
    tops = pairs.corners[:, 2].max(axis=0)
    pairs = pairs.only(tops[pairs.triangle] + distance[pairs.place] > current[pairs.place] + _SAME_MM)
    low, high = _within(pairs, distance[pairs.place])
    triangle, place = pairs.triangle, pairs.place
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
    off = np.column_stack([pairs.at[:, moved].T, current[moved]])
    away = off - nearest_on_triangles(off, pairs.corners[:, :, last[moved]].transpose(2, 0, 1))
    rises = np.abs(away[:, 2]) > _FLAT
    slopes[moved[rises]] = -away[rises, :2] / away[rises, 2:]
    return current


def _within(pairs: _Pairs, distance: Floats) -> tuple[Floats, Floats]:
    """From and to which height (p,) an upright line is nearer to each triangle than its distance; inf, -inf for never.

    The triangle grown by a ball is convex, so the least and the greatest of what the line has in common with its
    corners' balls, its edges' cylinders and its face's two sides are the ends. Where the line enters one of these can
    only be where it enters the whole, and where it leaves one only where it leaves it.
    """
    corners, n, at = pairs.corners[:, :, pairs.triangle], pairs.normals[:, pairs.triangle], pairs.at[:, pairs.place]
    low, high = np.full(len(distance), np.inf), np.full(len(distance), -np.inf)

    squared = distance**2
    for one in range(3):
        (x, y, z), (u, v, w) = corners[one], corners[(one + 1) % 3]
        left, front = at[0] - x, at[1] - y
        flat = left * left + front * front
        ball = np.sqrt(np.maximum(squared - flat, 0.0))
        meets = flat <= squared
        np.minimum(low, z - ball, out=low, where=meets)
        np.maximum(high, z + ball, out=high, where=meets)
        i, j, k = u - x, v - y, w - z
        length = np.maximum(i * i + j * j + k * k, 1e-30)
        level = 1 - k * k / length
        along = left * i + front * j
        middle = along * k / length
        inner = middle**2 - level * (flat - along**2 / length - squared)
        fits = (inner >= 0) & (level > _FLAT)
        root = np.sqrt(np.maximum(inner, 0.0))
        safe = np.where(level > _FLAT, level, 1.0)
        for side, end, better in ((-1, low, np.minimum), (1, high, np.maximum)):
            rise = (middle + side * root) / safe
            share = (along + rise * k) / length
            better(end, z + rise, out=end, where=fits & (share >= 0) & (share <= 1))
    is_level = np.abs(n[2]) > _FLAT
    upright = np.where(is_level, np.abs(n[2]), 1.0)
    height, aside = pairs.planes, np.copysign(distance, n[2]) * n[:2]
    for side, end, better in ((-1, low, np.minimum), (1, high, np.maximum)):
        is_over = is_level & _holds(corners[:, :2], at - side * aside)
        better(end, height + side * distance / upright, out=end, where=is_over)
    return low, high
