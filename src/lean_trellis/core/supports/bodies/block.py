"""Blocks: a plain shape or any body put under or between parts, trimmed where it runs into them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
from manifold3d import Manifold

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.errors import EditError, ParameterError
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import from_manifold, to_manifold
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bodies.bodies import Bodies, Grip, grip_on_faces, regions_near
from lean_trellis.core.supports.bodies.parameters import BlockParameters
from lean_trellis.core.supports.common.obstacle import nearest_distances, nearest_hits
from lean_trellis.core.supports.common.request import Request

_ROUND = 64
_BALL = 12
_MOST_GROWN = 6000
_TOUCH_MM = 0.02
_RAYS = 15
_LEAST_MM = 0.1
_ROUND_A_BORDER = tuple((x * 1e-5, y * 1e-5) for x in (-1, 1) for y in (-1, 1))
_DEEP = 3.0
"""On a slope the way straight down out of a part is so many times the depth along its normal, at most."""
BlockRequest = Request[BlockParameters]


@dataclass(frozen=True, eq=False)
class Touching:
    """Where a block meets the part, patch by patch: `places` (c, 3), `areas` (c,) mm² and `depths` (c,) mm."""

    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    areas: Floats = field(default_factory=lambda: np.zeros(0))
    depths: Floats = field(default_factory=lambda: np.zeros(0))


@dataclass(frozen=True, eq=False)
class Block(Bodies):
    """A block; `size_mm` is what it was before it was trimmed, `trimmed_mm3` how much was cut away."""

    size_mm: tuple[float, float, float] = (0.0, 0.0, 0.0)
    trimmed_mm3: float = 0.0
    density: float = 1.0
    touching: Touching = field(default_factory=Touching)

    @property
    def derived_values(self) -> dict[str, float]:
        """The height, where it was not typed."""
        return {"size_z": self.size_mm[2]}


def generate_block(request: BlockRequest, body: Mesh | None = None, watch: Watch = UNWATCHED) -> Block:
    """The block where it is placed, less the parts that it runs into.

    `body` is its shape where that is its own. Raises `ParameterError` where nothing of it is left, `EditError` where
    its shape bounds no solid.
    """
    p = request.parameters
    middle = request.overhangs.mesh.bounds.mean(axis=0)[:2] + [p.place_x, p.place_y]
    height = p.size_z if p.size_z is not None else _height_up_to(request, middle)
    whole = _shape(p, height, body).rotate((0.0, 0.0, p.turn)).translate((*middle.tolist(), p.place_z))
    watch.at(0.4, "trimming the block")
    left = _trimmed(whole, request, watch)
    trimmed = whole.volume() - left.volume()
    if left.is_empty() or left.volume() < 1e-6:
        raise ParameterError("place_z", "nothing is left of the block once it is trimmed", "move it or make it larger")
    pieces = left.decompose()
    if min(piece.volume() for piece in pieces) < 0:
        pieces = [left]  # a hollow is a piece of its own there, turned inside out: it stays with what is round it
    bodies = tuple(from_manifold(piece) for piece in pieces if piece.volume() > 1e-6)
    grip = _grip(bodies, request) if p.acts_as == "support" else Grip()
    touching = _touching(bodies, request) if p.acts_as == "support" else Touching()
    return Block(bodies, "block", "blocks", grip, (p.size_x, p.size_y, height), trimmed, p.density, touching)


def _shape(p: BlockParameters, height: float, body: Mesh | None) -> Manifold:
    """The shape round its upright middle line, standing on z = 0."""
    size = (p.size_x, p.size_y, height)
    match p.shape:
        case "cylinder":
            return Manifold.cylinder(1.0, 0.5, 0.5, _ROUND).scale(size)
        case "wedge":
            corners = [[-0.5, -0.5, 0], [0.5, -0.5, 0], [0.5, 0.5, 0], [-0.5, 0.5, 0], [0.5, -0.5, 1], [0.5, 0.5, 1]]
            return Manifold.hull_points(np.array(corners)).scale(size)
        case "own":
            return _own(body, size)
    return Manifold.cube(size).translate((-p.size_x / 2, -p.size_y / 2, 0.0))


def _own(body: Mesh | None, size: tuple[float, float, float]) -> Manifold:
    if body is None:
        raise ParameterError("shape", "there is no body of its own", "choose a file or a part for it")
    try:
        solid = to_manifold(body)
    except EditError:
        raise EditError("the block's body", "is open or its faces disagree", "mend it, then take it again") from None
    low, high = body.bounds
    share = np.array(size) / np.maximum(high - low, 1e-9)
    at = (-(low + high)[:2] / 2).tolist()
    return solid.translate((*at, -float(low[2]))).scale(tuple(share.tolist()))


def _height_up_to(request: BlockRequest, middle: Floats) -> float:
    """Up to the highest place of the nearest surface above what the block covers; the part's own height without one."""
    p = request.parameters
    across = np.linspace(-0.499, 0.499, _RAYS)
    grid = np.stack(np.meshgrid(across * p.size_x, across * p.size_y), axis=-1).reshape(-1, 2)
    turn = math.radians(p.turn)
    spun = grid @ np.array([[math.cos(turn), math.sin(turn)], [-math.sin(turn), math.cos(turn)]])
    starts = np.column_stack([middle + spun, np.full(len(spun), p.place_z - 1e-3)])
    distance = nearest_distances(request.obstacles, starts, np.array([0.0, 0.0, 1.0]))
    ceilings = distance[np.isfinite(distance)]
    if len(ceilings):
        # A little into the surface, so that trimming shapes the top to it.
        return max(float(ceilings.max()) + _TOUCH_MM, _LEAST_MM)
    return max(float(request.overhangs.mesh.bounds[1, 2]) - p.place_z, _LEAST_MM)


def _trimmed(block: Manifold, request: BlockRequest, watch: Watch) -> Manifold:
    """Less every part near it, grown by the clearance."""
    clearance = request.parameters.trim_clearance
    low, high = (np.array(ends) for ends in (block.bounding_box()[:3], block.bounding_box()[3:]))
    for number, obstacle in enumerate(request.obstacles):
        watch.at(0.4 + 0.5 * number / len(request.obstacles), "trimming the block")
        box = obstacle.placed.bounds
        if (box[0] > high + clearance).any() or (box[1] < low - clearance).any():
            continue
        try:
            solid = to_manifold(obstacle.placed)
        except EditError:
            raise EditError("the block", "runs into a part that bounds no solid", "mend the part first") from None
        if clearance < 0:  # what is no deeper in the part than the overlap stays
            around = Manifold.cube((high - low + 8 * abs(clearance)).tolist()).translate(
                (low - 4 * abs(clearance)).tolist()
            )
            block = (block - solid) + (block ^ solid ^ _grown(around - solid, low, high, -clearance, is_least=False))
            continue
        block = block - (solid if clearance == 0 else _grown(solid, low, high, clearance))
    return block


def _grown(solid: Manifold, low: Floats, high: Floats, by: float, *, is_least: bool = True) -> Manifold:
    """What of a solid is near a box, and all within a distance of it: a ball of twelve sides round the exact one.

    Where the distance is the most, not the least, within the exact one.
    """
    size = (high - low + 4 * by).tolist()
    near = solid ^ Manifold.cube(size).translate((low - 2 * by).tolist())
    if near.num_tri() > _MOST_GROWN:
        near = near.simplify(by / 10)
    # Flat sides of the ball lie within its radius: a larger one keeps the clearance everywhere.
    ball = Manifold.sphere(by / math.cos(math.pi / _BALL) ** 2 if is_least else by, _BALL)
    return near.minkowski_sum(ball) if near.num_tri() else near


def _grip(bodies: Sequence[Mesh], request: BlockRequest) -> Grip:
    """The faces of the own part that the block touches: looked for straight below places on its undersides."""
    mesh = request.overhangs.mesh
    low = np.min([body.bounds[0] for body in bodies], axis=0)
    high = np.max([body.bounds[1] for body in bodies], axis=0)
    near = ((mesh.face_lows <= high + _TOUCH_MM) & (mesh.face_highs >= low - _TOUCH_MM)).all(axis=1)
    faces = np.flatnonzero(near & (mesh.normals[:, 2] < -0.05))
    grip = grip_on_faces(request.overhangs, faces)
    if not len(grip.holds):
        return Grip()
    touched = _is_under(bodies, grip.holds, max(-request.parameters.trim_clearance, 0.0))
    if not touched.any():
        return Grip()
    holds = grip.holds[touched]
    area = _contact_area(bodies, request)
    regions = regions_near(request.overhangs, faces, holds)
    return Grip(holds.mean(axis=0)[None], np.array([area]), holds, regions)


def _is_under(bodies: Sequence[Mesh], places: Floats, overlap: float = 0.0) -> np.ndarray:
    """(n,): whether a body reaches up to each place, or into the part above it."""
    reached = np.zeros(len(places), bool)
    high = 2 * _TOUCH_MM + _DEEP * overlap
    for body in bodies:
        tree = RayTree(body)
        for x, y in _ROUND_A_BORDER:  # what lies above a border is reached, however it is rounded
            hits = tree.first_hits(places + [x, y, high], np.array([[0.0, 0.0, -1.0]]))
            reached |= hits.distance <= 4 * _TOUCH_MM + high
    return reached


def _touching(bodies: Sequence[Mesh], request: BlockRequest) -> Touching:
    """The upward faces of the block that lie on or in the part, connected ones together."""
    own, overlap = request.obstacles[:1], max(-request.parameters.trim_clearance, 0.0)
    places, areas, depths = [], [], []
    for body in bodies:
        up = np.flatnonzero(body.normals[:, 2] > 0.05)
        at = body.centroids_of(up)
        above = nearest_distances(own, at - [0, 0, _TOUCH_MM], np.array([0.0, 0.0, 1.0]))
        below, normals = nearest_hits(own, at + [0, 0, _TOUCH_MM], np.array([0.0, 0.0, -1.0]))
        is_in = (overlap > 0) & (below <= _DEEP * overlap + 3 * _TOUCH_MM) & (normals[:, 2] < 0)
        contacts = np.flatnonzero((above <= 3 * _TOUCH_MM) | is_in)
        if not len(contacts):
            continue
        depth = np.zeros(len(up))
        depth[is_in] = (below - _TOUCH_MM)[is_in] * np.abs(normals[is_in, 2])
        depth = depth[contacts]
        patches = _patches_of(body, up[contacts])
        sizes = body.areas[up[contacts]]
        for patch in range(int(patches.max()) + 1):
            mine = patches == patch
            places.append(np.average(at[contacts][mine], axis=0, weights=sizes[mine]))
            areas.append(float(sizes[mine].sum()))
            depths.append(float(depth[mine].max()))
    return Touching(np.array(places).reshape(-1, 3), np.array(areas), np.array(depths))


def _patches_of(body: Mesh, faces: Longs) -> Longs:
    """(k,): which of these faces hang together, by shared corners."""
    corners = body.faces[faces]
    owners = np.repeat(np.arange(len(faces)), 3)
    labels = components_of(len(faces) + len(body.vertices), owners, len(faces) + corners.reshape(-1))[: len(faces)]
    result: Longs = np.unique(labels, return_inverse=True)[1].reshape(-1)
    return result


def _contact_area(bodies: Sequence[Mesh], request: BlockRequest) -> float:
    """Area of the upward faces of the block that lie on or in the part, mm²."""
    return float(_touching(bodies, request).areas.sum())
