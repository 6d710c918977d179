"""What everything in a build stands on: pieces of parts and supports, followed down to the plate.

Worked out once for parts that stand near each other; `standing.py` makes findings of it.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.checks.state import BuildState, Foothold, PartState, SupportState
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.once import once_a_mesh
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.shells import shells_of
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.supports.common.contacts import ContactParameters
from lean_trellis.core.supports.common.footings import lowest_places
from lean_trellis.core.supports.common.spec import spec_of

Piece = tuple[str, int]
"""What something is, and the number of one of its pieces."""
ANY = -1
"""In place of a number: any piece of it."""
PLATE: Piece = ("plate", ANY)
_DOWN = np.array([[0.0, 0.0, -1.0]])
_BELOW_MM = 2e-3
"""Rays start this far below a footing, so that what it belongs to is not hit."""


@dataclass(eq=False)
class _Solid:
    """Something to stand on, in its pose. Its box is looked at first, its ray tree is made when it is wanted."""

    mesh: Mesh
    tree: RayTree
    pose: Pose | None = None
    source: Mesh | None = None
    piece_of_face: Longs | None = None

    def reaches_below(self, low: Floats, high: Floats) -> bool:
        """Whether anything of it may be below something in a box."""
        if not len(self.mesh.faces):
            return False
        lows, highs = self.mesh.bounds
        return bool((lows <= high).all() and (highs[:2] >= low[:2]).all())

    def below(self, places: Floats) -> tuple[Floats, Longs]:
        """(n,) each: how far it is below places (n, 3), 0 inside of it, infinite where it is not; and which piece."""
        result, pieces = np.full(len(places), np.inf), np.full(len(places), ANY)
        if not len(self.mesh.faces):
            return result, pieces
        low, high = self.mesh.bounds
        near = np.flatnonzero((places[:, :2] >= low[:2]).all(1) & (places[:, :2] <= high[:2]).all(1)
                              & (places[:, 2] >= low[2]))  # fmt: skip
        if not len(near):
            return result, pieces
        origins, down = places[near], _DOWN
        if self.pose is not None and self.source is not None:
            origins, down = self.pose.to_part(self.source, origins), _DOWN @ self.pose.matrix
        hits = self.tree.first_hits(origins, down)
        leaves = self.mesh.normals[hits.face, 2] < 0  # the first face is left through: the place is inside
        result[near] = np.where(np.isfinite(hits.distance) & leaves, 0.0, hits.distance)
        if self.piece_of_face is not None:
            pieces[near] = np.where(hits.face >= 0, self.piece_of_face[hits.face], ANY)
        return result, pieces


@dataclass(eq=False)
class _Node:
    """A part, a support or what fills a stack's gap, and for each of its pieces what it stands on."""

    key: str
    bases: list[set[Piece]] = field(default_factory=list)
    """What each piece stands on."""
    places: list[Floats] = field(default_factory=list)
    held_by: list[set[Piece]] = field(default_factory=list)
    """Which pieces of supports hold each piece."""

    def carriers(self) -> list[set[Piece]]:
        """Of each piece all that it stands on or is held by."""
        hangs_on = self.held_by or [set() for _ in self.bases]
        return [bases | by for bases, by in zip(self.bases, hangs_on, strict=True)]

    def loose(self, standing: set[Piece]) -> list[Floats]:
        """The lowest places of pieces that neither stand on what stands nor are held by it."""
        return [place for carriers, place in zip(self.carriers(), self.places, strict=True) if not carriers & standing]


def footholds_of(state: BuildState) -> dict[str, Foothold]:
    """What each part and support of a state stands on, by their ids."""
    nodes = _nodes(state)
    standing = _standing(nodes)
    footholds = {}
    for key, node in nodes.items():
        unfounded = [place for bases, place in zip(node.bases, node.places, strict=True) if not bases]
        footholds[key] = Foothold(
            len(node.bases), tuple(unfounded), tuple(node.loose(standing)), (key, ANY) in standing, any(node.held_by)
        )
    return footholds


def _standing(nodes: dict[str, _Node]) -> set[Piece]:
    """All pieces that are connected to the plate; with them, for what has such a piece, any piece of it."""
    standing = {PLATE}
    waiting = [((key, number), some) for key, node in nodes.items() for number, some in enumerate(node.carriers())]
    while True:
        more = {piece for piece, carriers in waiting if carriers & standing}
        if not more:
            return standing
        standing |= more | {(key, ANY) for key, _ in more}
        waiting = [entry for entry in waiting if entry[0] not in more]


def _nodes(state: BuildState) -> dict[str, _Node]:
    solids = {part.part.id: _Solid(part.overhangs.mesh, part.tree, part.part.pose, part.part.mesh,
                                    _shells(part.overhangs.mesh).of_face) for part in state.parts}  # fmt: skip
    made = {carrier.support.id: carrier.structure.mesh for carrier in state.supports if not carrier.structure.is_empty}
    solids |= {key: _Solid(mesh, RayTree(mesh)) for key, mesh in made.items()}
    for stack, fillings in state.fillings:
        solids |= {f"{stack.id}/{n}": _Solid(mesh, RayTree(mesh)) for n, mesh in enumerate(fillings)}
    nodes = {}
    layer = state.job.layer_height
    for part in state.parts:
        nodes[part.part.id] = _part_node(state, part, {key: s for key, s in solids.items() if key not in made})
    for carrier in state.supports:
        begins = carrier.structure.footings()
        reach = np.inf if begins.is_sure else _reach(carrier, layer)
        others = {key: solid for key, solid in solids.items() if key != carrier.support.id or not begins.is_sure}
        nodes[carrier.support.id] = _node(carrier.support.id, begins.places, begins.pieces, others, layer, reach)
    for stack, fillings in state.fillings:
        for number, mesh in enumerate(fillings):
            key = f"{stack.id}/{number}"
            low = _lowest_of(mesh)
            others = {other: solid for other, solid in solids.items() if other != key}
            nodes[key] = _node(key, low, np.zeros(len(low), np.int64), others, layer, 1.5 * layer)
    return nodes


@dataclass(frozen=True, eq=False)
class _Shells:
    """The solid shells of a mesh by number, ANY for those of voids: `of_face` (m,), and `of_label` by `shells_of`."""

    of_face: Longs
    of_label: Longs


@once_a_mesh
def _shells(mesh: Mesh) -> _Shells:
    of_face = shells_of(mesh)[mesh.faces[:, 0]]
    count = int(of_face.max(initial=-1)) + 1
    if count == 1:
        return _Shells(of_face, np.zeros(1, np.int64))
    corners = mesh.corners - mesh.middle
    volumes = np.bincount(of_face, np.einsum("ij,ij->i", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])), count)
    used = np.bincount(of_face, minlength=count) > 0
    solid = np.flatnonzero(used & ~((volumes < 0) & (count > 1)))
    number = np.full(count, ANY)
    number[solid] = np.arange(len(solid))
    return _Shells(number[of_face], number)


def _part_node(state: BuildState, part: PartState, solids: dict[str, _Solid]) -> _Node:
    """A part with its shells as pieces, but for voids; other shells of its own carry one that begins in or on them."""
    mesh, layer = part.overhangs.mesh, state.job.layer_height
    shells, lowest = _shells(mesh), lowest_places(mesh)
    some = shells.of_label[lowest.pieces] != ANY
    node = _node(part.part.id, lowest.places[some], shells.of_label[lowest.pieces[some]], solids, layer, 1.5 * layer)
    node.held_by = [set() for _ in node.bases]
    for carrier in state.supports_of(part.part):
        if not _may_hang_on(carrier, state):
            continue
        grips = spec_of(carrier.support).grips(carrier.structure)
        touching = np.column_stack([shells.of_face[part.faces_at(grips.places)], grips.pieces])
        for shell, piece in np.unique(touching, axis=0).tolist():
            if shell != ANY:
                node.held_by[shell].add((carrier.support.id, piece))
    return node


def _may_hang_on(carrier: SupportState, state: BuildState) -> bool:
    """Whether contacts of a support carry: a bite does; a gap where the process bridges it, as extrusion does."""
    parameters = carrier.support.parameters
    if not isinstance(parameters, ContactParameters) or parameters.lift_mm(state.job.layer_height) >= 0:
        return True
    return state.job.machine.process == "extrusion"


def _lowest_of(mesh: Mesh) -> Floats:
    """The lowest places of all its shells that are no higher than the lowest of them."""
    places = lowest_places(mesh).places
    return places[places[:, 2] <= places[:, 2].min(initial=np.inf) + 1e-3]


def _reach(carrier: SupportState, layer: float) -> float:
    """How far below a footing what it stands on may be: a layer and a half, or the gap of its set."""
    parameters = carrier.support.parameters
    gap = -parameters.lift_mm(layer) if isinstance(parameters, ContactParameters) else 0.0
    return max(1.5 * layer, gap + 0.5 * layer)


def _node(key: str, places: Floats, pieces: Longs, solids: dict[str, _Solid], layer: float, reach: float) -> _Node:
    """A node whose pieces stand on what is found below their footings."""
    count = int(pieces.max(initial=-1)) + 1
    node = _Node(key, [set() for _ in range(count)])
    on_plate = places[:, 2] <= layer
    for piece in np.unique(pieces[on_plate]).tolist():
        node.bases[piece].add(PLATE)
    open_places = np.flatnonzero(~on_plate)
    if len(open_places):
        lowered = places[open_places] - [0, 0, _BELOW_MM]
        box = lowered.min(axis=0), lowered.max(axis=0)
        near = {other: solid for other, solid in solids.items() if solid.reaches_below(*box)}
        below = [solid.below(lowered) for solid in near.values()]
        distances = np.stack([distance for distance, _ in below]) if near else np.zeros((0, len(lowered)))
        nearest = distances.min(axis=0, initial=np.inf)
        for other, (distance, which) in zip(near, below, strict=True):
            stands = (distance <= reach) & (distance <= nearest + 1e-9) & np.isfinite(distance)
            touching = np.column_stack([pieces[open_places[stands]], which[stands]])
            for piece, base in np.unique(touching, axis=0).tolist():
                if other != key or base != piece:
                    node.bases[piece].add((other, base))
    order = np.lexsort((places[:, 2], pieces))
    firsts = np.searchsorted(pieces[order], np.arange(count))
    node.places = [places[order[first]] for first in firsts.tolist()]
    return node
