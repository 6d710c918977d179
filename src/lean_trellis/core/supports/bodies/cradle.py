"""Cradles: a plate with posts under a part, each as tall as the surface above it asks; and what each post carries."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.errors import ParameterError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bodies.bodies import Bodies, Grip, regions_near
from lean_trellis.core.supports.bodies.parameters import CradleParameters
from lean_trellis.core.supports.common.obstacle import nearest_distances
from lean_trellis.core.supports.common.request import Request
from lean_trellis.core.supports.common.solids import polygon_share, ring_solids

SIDES = 24
UP = np.array([0.0, 0.0, 1.0])
_RINGS, _ROUND = 12, 24
_LEAST_POST_MM, _OFF_PROTECTED_MM = 0.2, 0.05
_SIDE_SPARE_MM = 0.05
_STEEPEST, _UNEVEN_MM = 0.1, 0.02
_MOST_SLOPE = 1.8
"""A post's top follows the surface up to 61 degrees."""
_CARRYING_SHARE = 0.3
"""A post carries where this share of its tip's area meets the part: assumed."""
_CONE = 1.0
"""A post narrows to its tip over once the difference of their diameters: 63 degrees from level."""
CradleRequest = Request[CradleParameters]


@dataclass(frozen=True, eq=False)
class Posts:
    """`tops` (n, 3) are the middles of the posts' tops; `seats` (n,) the surface's height there.

    `depths` (n,) tell how far each goes in: 0 touches, below 0 it floats. `areas` (n,) are the true areas of contact:
    what of the surface lies lower than the post's top within its tip. `kept_off` (k, 2) are places without a post
    because the surface is protected, `crowded` how many had no room beside a steep surface.
    """

    tops: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    seats: Floats = field(default_factory=lambda: np.zeros(0))
    areas: Floats = field(default_factory=lambda: np.zeros(0))
    kept_off: Floats = field(default_factory=lambda: np.zeros((0, 2)))
    crowded: int = 0
    tip_radius: float = 0.0

    def __len__(self) -> int:
        return len(self.tops)

    @property
    def depths(self) -> Floats:
        """(n,): how far each goes into the part, mm."""
        result: Floats = self.tops[:, 2] - self.seats
        return result

    @property
    def carries(self) -> Bools:
        """(n,): whether each has an area of contact that carries: a good share of its tip's."""
        least = _CARRYING_SHARE * np.pi * self.tip_radius**2
        return np.asarray(self.areas >= least, bool)

    def state(self, number: int) -> str:
        """What a post does, in a word or two."""
        if self.areas[number] <= 0:
            return "floats"
        if not self.carries[number]:
            return "touches too little"
        return "touches" if abs(self.depths[number]) < 0.005 else "goes in" if self.depths[number] > 0 else "touches"


@dataclass(frozen=True, eq=False)
class Cradle(Bodies):
    """A cradle with its posts."""

    posts: Posts = field(default_factory=Posts)
    rows: int = 0
    columns: int = 0

    @property
    def length_mm(self) -> float:
        """Of all posts, from the plate up."""
        return float(self.posts.tops[:, 2].sum())

    @property
    def derived_values(self) -> dict[str, float]:
        """Rows and columns, where they were not typed."""
        return {"rows": float(self.rows), "columns": float(self.columns)}


def generate_cradle(request: CradleRequest, watch: Watch = UNWATCHED) -> Cradle:
    """The cradle under a part: posts in rows and columns round its middle, none under protected surfaces.

    Raises `ParameterError` where no post finds a surface.
    """
    p = request.parameters
    mesh = request.overhangs.mesh
    low, high = mesh.bounds[:, :2]
    middle = (low + high) / 2
    fits = np.maximum(1, np.floor((high - low) / p.post_pitch).astype(int) + 1)
    columns, rows = p.columns or int(fits[0]), p.rows or int(fits[1])
    x, y = (p.post_pitch * (np.arange(count) - (count - 1) / 2) for count in (columns, rows))
    grid = middle + np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    watch.at(0.3, f"looking for the surface above {len(grid):,} posts")
    seats, covered, protected = _seats(request, grid)
    protected |= covered & _is_beside_protected(request, grid, p.post_tip / 2)
    kept_off = grid[covered & protected]
    grid, seats = grid[covered & ~protected], seats[covered & ~protected]
    is_fitted = p.heights == "fitted"
    slopes = _slopes(request, grid) if is_fitted else np.zeros_like(grid)
    # A seat is as deep as asked along the surface's normal.
    steep = np.sqrt(1 + (slopes**2).sum(axis=1))
    tops = (seats if is_fitted else np.full(len(seats), seats.min(initial=np.inf))) + p.seat_depth * steep
    tall = tops > p.raft_thickness + _LEAST_POST_MM
    grid, seats, tops, slopes = grid[tall], seats[tall], tops[tall], slopes[tall]
    if not len(grid):
        raise ParameterError("post_pitch", "no post finds a surface above it with room for a post",
                             "lift the part, set the posts closer, or change the protection")  # fmt: skip
    places = np.column_stack([grid, tops])
    watch.at(0.6, "measuring where posts touch")
    disc = _disc_above(request, grid, p.post_tip / 2)
    places = _no_deeper(disc, places, slopes, p.seat_depth)
    cones = _cones(request, places, slopes)
    stands = places[:, 2] - cones - p.post_tip > p.raft_thickness
    if not stands.any():
        raise ParameterError("post_diameter", "no post gets past the surface round it", "make the posts thinner")
    places, seats, slopes, cones = places[stands], seats[stands], slopes[stands], cones[stands]
    areas, holds, counts = _contacts(disc.only(stands), places, slopes, p.post_tip / 2)
    posts = Posts(places, seats, areas, kept_off, int((~stands).sum()), p.post_tip / 2)
    holds = holds[np.repeat(posts.carries, counts)]
    bodies = [_post(place, slope, cone, p) for place, slope, cone in zip(places, slopes, cones.tolist(), strict=True)]
    plate = _plate(places[:, :2], p)
    return Cradle(
        (*plate, *bodies), "body", "bodies", _grip(request, posts, holds), posts, rows, columns
    )  # fmt: skip


def _seats(request: CradleRequest, grid: Floats) -> tuple[Floats, Bools, Bools]:
    """Height of the own part's lowest surface above each place, whether there is one, and whether it is protected."""
    starts = np.column_stack([grid, np.full(len(grid), -1.0)])
    own = request.obstacles[0]
    distance, normals = own.first_hits(starts, UP)
    covered = np.isfinite(distance)
    # Of protected faces normals are turned over: they look up, though met from below.
    protected = covered & (normals[:, 2] > 0)
    if len(request.obstacles) > 1:
        others = nearest_distances(request.obstacles[1:], starts, UP)
        covered &= ~(others < distance)
    return np.where(covered, distance - 1.0, np.inf), covered, protected


def _is_beside_protected(request: CradleRequest, grid: Floats, radius: float) -> Bools:
    """(n,): whether a tip there would touch a protected surface: by rays close together up to a little beyond it."""
    reach = radius + _OFF_PROTECTED_MM
    rings = reach * (np.arange(_RINGS) + 1) / _RINGS
    turns = 2 * np.pi * np.arange(_ROUND) / _ROUND
    steps = np.stack([rings[:, None] * np.cos(turns), rings[:, None] * np.sin(turns)], axis=-1).reshape(-1, 2)
    plan = grid[:, None] + steps
    starts = np.concatenate([plan, np.full((*plan.shape[:2], 1), -1.0)], axis=2).reshape(-1, 3)
    distance, normals = request.obstacles[0].first_hits(starts, UP)
    # Of protected faces normals are turned over: they look up, though met from below.
    struck = (np.isfinite(distance) & (normals[:, 2] > 0)).reshape(len(grid), -1)
    return np.asarray(struck.any(axis=1), bool)


@dataclass(frozen=True, eq=False)
class _Disc:
    """What is above a disc round each post: `steps` (k, 2) from its middle, `heights` (n, k) of the surface.

    `upright` (n, k) is how much of the surface's normal points down.
    """

    steps: Floats
    heights: Floats
    upright: Floats

    def levels(self, tops: Floats, slopes: Floats) -> Floats:
        """(n, k): how high tops lie there that rise by slopes (n, 2)."""
        result: Floats = tops[:, 2, None] + slopes @ self.steps.T
        return result

    def only(self, which: Bools) -> _Disc:
        return _Disc(self.steps, self.heights[which], self.upright[which])


def _disc_above(request: CradleRequest, grid: Floats, radius: float) -> _Disc:
    """By rays in rings of equal area over a disc round each place (n, 2) of the grid."""
    rings = radius * np.sqrt((np.arange(_RINGS) + 0.5) / _RINGS)
    turns = 2 * np.pi * (np.arange(_ROUND) + 0.5) / _ROUND
    steps = np.stack([rings[:, None] * np.cos(turns), rings[:, None] * np.sin(turns)], axis=-1).reshape(-1, 2)
    plan = grid[:, None] + steps
    starts = np.concatenate([plan, np.full((*plan.shape[:2], 1), -1.0)], axis=2).reshape(-1, 3)
    distance, normals = request.obstacles[0].first_hits(starts, UP)
    upright = np.maximum(np.abs(normals[:, 2]), _STEEPEST)
    return _Disc(steps, (distance - 1.0).reshape(len(grid), -1), upright.reshape(len(grid), -1))


def _contacts(disc: _Disc, tops: Floats, slopes: Floats, radius: float) -> tuple[Floats, Floats, Longs]:
    """(n,) areas of the surface that lies at or below each post's top within its tip; places on it, and how many each.

    Rays through the tip stand for equal areas, weighted by the slope of what they meet.
    """
    touched = disc.heights <= disc.levels(tops, slopes) + 1e-3
    areas = np.where(touched, 1 / disc.upright, 0.0).sum(axis=1) * (np.pi * radius**2 / len(disc.steps))
    plan = tops[:, None, :2] + disc.steps
    return areas, np.column_stack([plan[touched], disc.heights[touched]]), touched.sum(axis=1)


def _no_deeper(disc: _Disc, tops: Floats, slopes: Floats, seat_depth: float) -> Floats:
    """Tops let down where the surface beside their middle lies lower: nowhere do they go in by more than the seat.

    Or come nearer than the gap, where the seat's depth is below 0; both along the normal.
    """
    deep = disc.levels(tops, slopes) - disc.heights - (seat_depth + _UNEVEN_MM) / disc.upright
    return tops - np.maximum(deep.max(axis=1), 0.0)[:, None] * UP


def _slopes(request: CradleRequest, tops: Floats) -> Floats:
    """(n, 2): how the surface above each post rises along x and y, as far as a top follows it."""
    starts = np.column_stack([tops[:, :2], np.full(len(tops), -1.0)])
    _, normals = request.obstacles[0].first_hits(starts, UP)
    rise = -normals[:, :2] / np.minimum(normals[:, 2], -_STEEPEST)[:, None]
    return rise * np.minimum(1.0, _MOST_SLOPE / np.maximum(np.hypot(*rise.T), 1e-12))[:, None]


def _cones(request: CradleRequest, tops: Floats, slopes: Floats) -> Floats:
    """(n,): over which height each post narrows to its tip so that its side stays clear of the surface round it."""
    p = request.parameters
    tip, shaft = p.post_tip / 2, p.post_diameter / 2
    usual = np.full(len(tops), _CONE * (p.post_diameter - p.post_tip))
    if shaft - tip < 1e-6:
        return usual * 0
    disc = _disc_above(request, tops[:, :2], shaft + _SIDE_SPARE_MM)
    away = np.hypot(*disc.steps.T)
    beyond = np.clip(away - tip, 0.0, shaft - tip) / (shaft - tip)
    rim = slopes @ disc.steps.T * np.minimum(tip / np.maximum(away, 1e-9), 1.0)
    sinks = np.maximum(tops[:, 2, None] + rim - disc.heights - max(p.seat_depth, 0.0) / disc.upright, 0.0)
    needed = np.where((away > tip) & np.isfinite(disc.heights), sinks / np.maximum(beyond, 1e-3), 0.0).max(axis=1)
    result: Floats = np.maximum(usual, needed)
    return result


def _post(top: Floats, slope: Floats, cone: float, p: CradleParameters) -> Mesh:
    """A post from the plate up, its head a cone whose top follows the surface; of the round post's area."""
    turn = 2 * np.pi * (np.arange(SIDES) + 0.5) / SIDES
    circle = np.column_stack([np.cos(turn), np.sin(turn)]) * np.sqrt(np.pi / polygon_share(SIDES))
    tip, shaft = circle * p.post_tip / 2, circle * p.post_diameter / 2
    lean = tip @ slope
    levels = [(shaft, np.zeros(SIDES)), (shaft, np.full(SIDES, top[2] - max(cone, 1e-3)) + np.minimum(lean, 0).min())]
    rings = [np.column_stack([top[:2] + ring, level]) for ring, level in (*levels, (tip, top[2] + lean))]
    return ring_solids(np.array(rings)[None])


def _plate(grid: Floats, p: CradleParameters) -> tuple[Mesh, ...]:
    """The plate under all posts, half a post wider."""
    if p.raft_thickness == 0:
        return ()
    low, high = grid.min(axis=0) - p.post_diameter, grid.max(axis=0) + p.post_diameter
    return (box((*(high - low).tolist(), p.raft_thickness), corner=(*low.tolist(), 0.0)),)


def _grip(request: CradleRequest, posts: Posts, holds: Floats) -> Grip:
    touching = posts.carries
    faces = np.flatnonzero(request.overhangs.region_of_face >= 0)
    places = posts.tops[touching]
    contacts = np.column_stack([places[:, :2], posts.seats[touching]])
    return Grip(contacts, posts.areas[touching], holds, regions_near(request.overhangs, faces, holds))
