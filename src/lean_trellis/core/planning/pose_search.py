"""Pose search: a sphere of directions and the flats of the hull, judged from face areas, normals and middles alone."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, crossed
from lean_trellis.core.errors import EditError
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.progress import UNWATCHED, Watch

FIGURES: dict[str, tuple[str, str]] = {
    "critical_area": ("Critical area", "mm²"),
    "support_volume": ("Support volume", "mm³"),
    "height": ("Height", "mm"),
    "unsteadiness": ("Tipping risk", ""),
    "protected_area": ("Protected surface supported", "mm²"),
}
"""The figures of a pose, all the better the smaller: title and unit."""
_KEYS = tuple(FIGURES)
_ELEMENTS = 4_000_000
_REFINED = 5
_ROUGH_FACES = 3000
_KEPT_OF_EACH = 60
_STEPS_DEG = (3.0, 1.2, 0.5, 0.2)
_APART_DEG = 15.0
_MOST_FLATS = 200
_ON_PLATE_MM = 0.05


@dataclass(frozen=True, eq=False)
class PoseRequest:
    """What is looked for.

    `rotation` (3, 3) is the pose now. `pose_range` keeps the angle between `main_axis` (own coordinates; the normal
    of a flat part where `main_is_normal`) and the plate within two angles in degrees; None lets every pose pass.
    `height_limit` in mm. `protected` (m,) marks faces that should not be supported. `rests` tells that the part stands
    on the plate itself, so that what lies there needs nothing.
    """

    mesh: Mesh
    rotation: Floats
    critical_angle: float
    build_offset: float = 0.0
    directions: int = 12_000
    pose_range: tuple[float, float] | None = None
    main_axis: Floats | None = None
    main_is_normal: bool = False
    height_limit: float | None = None
    protected: Bools | None = None


@dataclass(frozen=True, eq=False)
class FoundPoses:
    """The poses that pass: `ups` (k, 3) unit directions of the part that point up, `figures` (k, 5) in the order

    of `FIGURES`. `front` are those that no other one beats in every figure; `best` the best few by all figures
    together, apart from each other. `now` (5,) are the figures as the part stands. `tried` counts all directions.
    """

    ups: Floats
    figures: Floats
    front: Longs
    best: Longs
    now: Floats
    tried: int

    def smallest(self, figure: str) -> float:
        """The best value of a figure among those found."""
        return float(self.figures[:, _KEYS.index(figure)].min())


class _Judge:
    """The arrays of a mesh, ready to be judged from any direction; `rough` takes faces of like normal together."""

    def __init__(self, request: PoseRequest, *, rough: _Judge | None = None, is_rough: bool = False) -> None:
        mesh = request.mesh
        middle = mesh.middle
        normals, areas, centroids = mesh.normals, mesh.areas, mesh.centroids - middle
        protected = request.protected
        if is_rough:
            normals, areas, centroids, protected = _gathered(normals, areas, centroids, protected)
        self._normals = np.ascontiguousarray(normals.T.astype(np.float32))
        self._areas = areas.astype(np.float32)
        self._middles = np.ascontiguousarray(centroids.T.astype(np.float32))
        hull, flats = _hull(mesh) if rough is None else (rough.hull, rough.flats)
        self.hull: Floats = hull
        self.flats: Floats = flats
        self._corners = self.hull - middle
        a = mesh.corners - middle
        signed = np.einsum("ij,ij->i", a[:, 0], mesh.cross_products) / 6
        total = float(signed.sum())
        heavy = (a.sum(axis=1) / 4 * signed[:, None]).sum(axis=0) / total if abs(total) > 1e-9 else np.zeros(3)
        self._centre = heavy
        self._limit = np.float32(-np.cos(np.radians(request.critical_angle)))
        self._offset = request.build_offset
        self._protected = protected

    def figures(self, ups: Floats) -> Floats:
        """(k, 5): the figures for each (k, 3) direction."""
        block = max(1, _ELEMENTS // max(1, len(self._areas)))
        return np.concatenate([self._some(ups[i : i + block]) for i in range(0, len(ups), block)])

    def _some(self, ups: Floats) -> Floats:
        towards = ups.astype(np.float32)
        along = towards @ self._normals
        reach = self._corners @ ups.T
        lowest, highest = reach.min(axis=0), reach.max(axis=0)
        heights = towards @ self._middles - lowest[:, None].astype(np.float32)
        hangs = along < self._limit
        if self._offset == 0:
            hangs &= heights > _ON_PLATE_MM
        areas = np.where(hangs, self._areas, np.float32(0))
        area = areas.sum(axis=1, dtype=np.float64)
        plan = -areas * along
        volume = np.einsum("ij,ij->i", plan, heights + np.float32(self._offset), dtype=np.float64)
        foot = np.where(along < 0, -self._areas * along, np.float32(0))
        low = foot * (heights < np.maximum(0.05 * (highest - lowest), 0.5)[:, None])
        standing = plan.sum(axis=1, dtype=np.float64) + low.sum(axis=1, dtype=np.float64)
        rise = self._centre @ ups.T - lowest + self._offset
        unsteady = rise / np.sqrt(np.maximum(standing, 1e-6) / np.pi)
        guarded = np.zeros(len(ups))
        if self._protected is not None:
            guarded = areas[:, self._protected].sum(axis=1, dtype=np.float64)
        return np.column_stack([area, volume, highest - lowest + self._offset, unsteady, guarded])


def _gathered(
    normals: Floats, areas: Floats, centroids: Floats, protected: Bools | None
) -> tuple[Floats, Floats, Floats, Bools | None]:
    """Faces of nearly the same normal as one, with the mean normal and middle, so that a thousand or so are left."""
    guarded = np.zeros(len(areas), bool) if protected is None else protected
    for grain in (1e-4, 0.01, 0.02, 0.04, 0.08):
        cells = np.round(normals / grain).astype(np.int64) + 100_000
        keys = (cells[:, 0] * 400_000 + cells[:, 1]) * 400_000 + cells[:, 2]
        _, home = np.unique(keys * 2 + guarded, return_inverse=True)
        count = int(home.max(initial=-1)) + 1
        if count <= _ROUGH_FACES:
            break
    total = np.maximum(np.bincount(home, weights=areas, minlength=count), 1e-300)

    def mean(of: Floats) -> Floats:
        return (
            np.column_stack([np.bincount(home, weights=areas * axis, minlength=count) for axis in of.T])
            / total[:, None]
        )

    mean_normal = mean(normals)
    length = np.maximum(np.linalg.norm(mean_normal, axis=1, keepdims=True), 1e-12)
    kept = np.bincount(home, weights=guarded, minlength=count) > 0
    return mean_normal / length, total, mean(centroids), None if protected is None else kept


def _hull(mesh: Mesh) -> tuple[Floats, Floats]:
    """(h, 3) corners of the convex hull and (f, 3) outward normals of its flats, the largest first."""
    from scipy.spatial import ConvexHull, QhullError

    points = np.unique(mesh.vertices, axis=0) if len(mesh.vertices) < 20_000 else mesh.vertices
    try:
        hull = ConvexHull(points)
    except QhullError:
        return points, np.zeros((0, 3))
    corners = points[hull.simplices]
    areas = np.linalg.norm(crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    normals = hull.equations[:, :3]
    _, flat = np.unique(np.round(hull.equations, 6), axis=0, return_inverse=True)
    total = np.bincount(flat.reshape(-1), weights=areas)
    first = np.unique(flat.reshape(-1), return_index=True)[1]
    order = np.argsort(-total)[:_MOST_FLATS]
    return points[hull.vertices], normals[first[order]]


def sphere_directions(count: int) -> Floats:
    """(count, 3) unit directions spread evenly (a spherical Fibonacci lattice; Swinbank and Purser 2006)."""
    number = np.arange(count) + 0.5
    z = 1 - 2 * number / count
    turn = np.pi * (1 + 5**0.5) * number
    ring = np.sqrt(1 - z * z)
    return np.column_stack([ring * np.cos(turn), ring * np.sin(turn), z])


def figures_of(request: PoseRequest, ups: Floats) -> Floats:
    """(k, 5): the figures of a request's part for any (k, 3) directions; no constraint is looked at."""
    return _Judge(request).figures(ups)


@heavy
def search_poses(request: PoseRequest, watch: Watch = UNWATCHED) -> FoundPoses:
    """Look for good poses. Raises `EditError` where no direction passes the constraints."""
    if not len(request.mesh.faces):
        raise EditError("pose search", "the part has no faces", "mend or replace it")
    watch.at(0.02, "taking the hull")
    rough = _Judge(request, is_rough=True)
    ups = np.concatenate([-rough.flats, sphere_directions(request.directions)])
    guess = np.zeros((len(ups), len(_KEYS)))
    blocks = np.array_split(np.arange(len(ups)), 20)
    for number, block in enumerate(blocks):
        watch.at(0.05 + 0.4 * number / len(blocks), f"judging {len(ups):,} directions")
        guess[block] = rough.figures(ups[block])
    tried = len(ups)
    passing = np.flatnonzero(_passes(request, ups, guess))
    if not len(passing):
        raise EditError("pose search", "no pose passes the constraints", "widen the pose range or the height")
    chosen = passing[_promising(guess[passing])]
    watch.at(0.45, f"measuring the {len(chosen):,} most promising")
    judge = _Judge(request, rough=rough)
    now = judge.figures(request.rotation[2][None])[0]
    ups, figures = ups[chosen], judge.figures(ups[chosen])
    for number in range(2):
        for place in range(len(_KEYS) - 1):
            watch.at(0.6 + 0.2 * number + 0.05 * place, f"refining {FIGURES[_KEYS[place]][0].lower()}")
            more, of_more = _refined(judge, request, ups, figures, place)
            ups, figures, tried = np.concatenate([ups, more]), np.concatenate([figures, of_more]), tried + len(more)
    front = _front(figures)
    return FoundPoses(ups, figures, front, _best(ups, figures, front), now, tried)


def _promising(figures: Floats) -> Longs:
    """The best few of every figure, of every two of them together, and of all."""
    scaled = figures / np.maximum(np.median(figures, axis=0), 1e-9)
    goals = [scaled[:, i] for i in range(len(_KEYS))]
    goals += [scaled[:, i] + scaled[:, k] for i in range(len(_KEYS)) for k in range(i)]
    goals.append(scaled.sum(axis=1))
    return np.unique(np.concatenate([np.argsort(goal, kind="stable")[:_KEPT_OF_EACH] for goal in goals]))


def _passes(request: PoseRequest, ups: Floats, figures: Floats) -> Bools:
    passing = np.ones(len(ups), bool)
    if request.height_limit is not None:
        passing &= figures[:, 2] <= request.height_limit + 1e-9
    if request.pose_range is not None and request.main_axis is not None:
        share = np.clip(np.abs(ups @ request.main_axis), 0, 1)
        angle = np.degrees(np.arccos(share) if request.main_is_normal else np.arcsin(share))
        low, high = request.pose_range
        passing &= (angle >= low - 1e-6) & (angle <= high + 1e-6)
    return passing


def _refined(judge: _Judge, request: PoseRequest, ups: Floats, figures: Floats, place: int) -> tuple[Floats, Floats]:
    """A pattern search round the best few of one figure: rings of directions at ever smaller angles."""
    goal = figures[:, place]
    order = np.argsort(goal, kind="stable")[:_REFINED]
    centres, best = ups[order], goal[order]
    directions, of_directions = [], []
    for step in _STEPS_DEG:
        ring = _rings(centres, step)
        judged = judge.figures(ring)
        passing = _passes(request, ring, judged)
        if not passing.any():
            continue
        ring, judged = ring[passing], judged[passing]
        directions.append(ring)
        of_directions.append(judged)
        pool, values = np.concatenate([centres, ring]), np.concatenate([best, judged[:, place]])
        order = np.argsort(values, kind="stable")[:_REFINED]
        centres, best = pool[order], values[order]
    if not directions:
        return np.zeros((0, 3)), np.zeros((0, len(_KEYS)))
    return np.concatenate(directions), np.concatenate(of_directions)


def _rings(centres: Floats, step_deg: float) -> Floats:
    turns = np.arange(8) * np.pi / 4
    least = np.eye(3)[np.argmin(np.abs(centres), axis=1)]
    one = np.cross(centres, least)
    one /= np.linalg.norm(one, axis=1, keepdims=True)
    other = np.cross(centres, one)
    sideways = one[:, None] * np.cos(turns)[:, None] + other[:, None] * np.sin(turns)[:, None]
    angle = np.radians(step_deg)
    return (centres[:, None] * np.cos(angle) + sideways * np.sin(angle)).reshape(-1, 3)


def _front(figures: Floats) -> Longs:
    """Poses that no other one equals or beats in every figure while beating it in one (Pareto)."""
    order = np.lexsort(figures.T[::-1])
    kept: list[int] = []
    front = np.zeros((0, figures.shape[1]))
    for place in order.tolist():
        row = figures[place]
        if len(front) and (front <= row + 1e-12).all(axis=1).any():
            continue
        kept.append(place)
        front = figures[kept]
    return np.array(kept, np.int64)


def _best(ups: Floats, figures: Floats, front: Longs, count: int = 5) -> Longs:
    """The best of the front by the sum of all figures, each against its range there; no two nearly the same."""
    rows = figures[front]
    low, high = rows.min(axis=0), rows.max(axis=0)
    score = ((rows - low) / np.where(high > low, high - low, 1)).sum(axis=1)
    chosen: list[int] = []
    for place in front[np.argsort(score, kind="stable")].tolist():
        if all(ups[place] @ ups[other] < np.cos(np.radians(_APART_DEG)) for other in chosen):
            chosen.append(place)
        if len(chosen) == count:
            break
    return np.array(chosen, np.int64)
