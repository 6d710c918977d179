"""Cradles: a plate with posts under a part, each as tall as the surface above it asks; and what each post carries."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.errors import ParameterError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bodies import Bodies, Grip
from lean_trellis.core.supports.body_parameters import CradleParameters
from lean_trellis.core.supports.obstacle import nearest_hits
from lean_trellis.core.supports.request import Request
from lean_trellis.core.supports.solids import polygon_share, swept

SIDES = 24
UP = np.array([0.0, 0.0, 1.0])
_RINGS, _ROUND = 12, 24
_LEAST_POST_MM = 0.2
_CONE = 1.0
"""A post narrows to its tip over once the difference of their diameters: 63 degrees from level."""
CradleRequest = Request[CradleParameters]


@dataclass(frozen=True, eq=False)
class Posts:
    """`tops` (n, 3) are the middles of the posts' tops; `seats` (n,) the surface's height there.

    `depths` (n,) tell how far each goes in: 0 touches, below 0 it floats. `areas` (n,) are the true areas of contact:
    what of the surface lies lower than the post's top within its tip. `is_kept_off` (n,) marks places without a post
    because the surface is protected.
    """

    tops: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    seats: Floats = field(default_factory=lambda: np.zeros(0))
    areas: Floats = field(default_factory=lambda: np.zeros(0))
    kept_off: Floats = field(default_factory=lambda: np.zeros((0, 2)))

    def __len__(self) -> int:
        return len(self.tops)

    @property
    def depths(self) -> Floats:
        """(n,): how far each goes into the part, mm."""
        result: Floats = self.tops[:, 2] - self.seats
        return result

    def state(self, number: int) -> str:
        """What a post does, in a word."""
        if self.areas[number] <= 0:
            return "floats"
        return "touches" if abs(self.depths[number]) < 0.005 else "goes in" if self.depths[number] > 0 else "touches"


@dataclass(frozen=True, eq=False)
class Cradle(Bodies):
    """A cradle with its posts."""

    posts: Posts = field(default_factory=Posts)
    rows: int = 0
    columns: int = 0

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
    kept_off = grid[covered & protected]
    grid, seats = grid[covered & ~protected], seats[covered & ~protected]
    tops = (seats if p.heights == "fitted" else np.full(len(seats), seats.min(initial=np.inf))) + p.seat_depth
    tall = tops > p.raft_thickness + _LEAST_POST_MM
    grid, seats, tops = grid[tall], seats[tall], tops[tall]
    if not len(grid):
        raise ParameterError("post_pitch", "no post finds a surface above it with room for a post",
                             "lift the part, set the posts closer, or change the protection")  # fmt: skip
    places = np.column_stack([grid, tops])
    watch.at(0.6, "measuring where posts touch")
    areas, holds = _contacts(request, places)
    posts = Posts(places, seats, areas, kept_off)
    bodies = [_post(place, p) for place in places]
    plate = _plate(grid, p)
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
        others, _ = nearest_hits(request.obstacles[1:], starts, UP)
        covered &= ~(others < distance)
    return np.where(covered, distance - 1.0, np.inf), covered, protected


def _contacts(request: CradleRequest, tops: Floats) -> tuple[Floats, Floats]:
    """(n,) areas of the surface that lies at or below each post's top within its tip; and places on it.

    By rays through the tip in rings of equal area, weighted by the slope of what they meet.
    """
    radius = request.parameters.post_tip / 2
    rings = radius * np.sqrt((np.arange(_RINGS) + 0.5) / _RINGS)
    turns = 2 * np.pi * (np.arange(_ROUND) + 0.5) / _ROUND
    disc = np.stack([rings[:, None] * np.cos(turns), rings[:, None] * np.sin(turns)], axis=-1).reshape(-1, 2)
    plan = tops[:, None, :2] + disc
    starts = np.concatenate([plan, np.full((*plan.shape[:2], 1), -1.0)], axis=2).reshape(-1, 3)
    distance, normals = request.obstacles[0].first_hits(starts, UP)
    heights = (distance - 1.0).reshape(len(tops), -1)
    touched = heights <= tops[:, 2, None] + 1e-3
    slope = 1 / np.maximum(np.abs(normals[:, 2]).reshape(len(tops), -1), 0.1)
    areas = np.where(touched, slope, 0.0).sum(axis=1) * (np.pi * radius**2 / disc.shape[0])
    met = touched.reshape(-1)
    return areas, np.column_stack([starts[met, :2], heights.reshape(-1)[met]])


def _post(top: Floats, p: CradleParameters) -> Mesh:
    """A post from the plate up, its head a cone; sides so that its area is that of the round one."""
    cone = min(_CONE * (p.post_diameter - p.post_tip), 0.8 * (top[2] - p.raft_thickness))
    levels = np.array([0.0, top[2] - cone, top[2]]) if cone > 1e-6 else np.array([0.0, top[2]])
    radii = np.array([p.post_diameter, p.post_diameter, p.post_tip]) / 2
    radii = radii if cone > 1e-6 else np.array([p.post_diameter, p.post_tip]) / 2
    round_radii = radii * np.sqrt(np.pi / polygon_share(SIDES))
    centres = np.column_stack([np.tile(top[:2], (len(levels), 1)), levels])
    return swept(centres[None], round_radii[None], SIDES)


def _plate(grid: Floats, p: CradleParameters) -> tuple[Mesh, ...]:
    """The plate under all posts, half a post wider."""
    if p.raft_thickness == 0:
        return ()
    low, high = grid.min(axis=0) - p.post_diameter, grid.max(axis=0) + p.post_diameter
    return (box((*(high - low).tolist(), p.raft_thickness), corner=(*low.tolist(), 0.0)),)


def _grip(request: CradleRequest, posts: Posts, holds: Floats) -> Grip:
    from scipy.spatial import cKDTree

    touching = posts.areas > 0
    overhangs = request.overhangs
    faces = np.flatnonzero(overhangs.region_of_face >= 0)
    regions: frozenset[int] = frozenset()
    if len(holds) and len(faces):
        near = cKDTree(overhangs.mesh.centroids_of(faces)).query(holds)[1]
        regions = frozenset(overhangs.region_of_face[faces[near]].tolist())
    places = posts.tops[touching]
    return Grip(np.column_stack([places[:, :2], posts.seats[touching]]), posts.areas[touching], holds, regions)
