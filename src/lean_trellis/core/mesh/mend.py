"""Mending: named steps, each from a mesh to a mesh, with the figures before and after."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from manifold3d import Manifold, OpType

from lean_trellis.core.arrays import Bools
from lean_trellis.core.errors import EditError
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.faults import stray_shells
from lean_trellis.core.mesh.health import MeshHealth, examine, inward_shells, shell_volumes
from lean_trellis.core.mesh.holes import close_holes
from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.mesh.primitives import from_manifold, to_manifold
from lean_trellis.core.mesh.topology import Topology, build_topology, collapsed_faces
from lean_trellis.core.mesh.weld import weld
from lean_trellis.core.mesh.winding import contains_point
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch

NEAR_MM = 0.005
"""Vertices nearer than this are taken for one, when nobody says otherwise."""
ASKS_FROM = 0.01
"""A mend that changes the volume by a larger share is only done when somebody agrees."""


@dataclass(frozen=True, eq=False)
class Mended:
    """What came out of a step."""

    title: str
    mesh: Mesh
    before: MeshHealth
    after: MeshHealth

    @property
    def volume_change(self) -> float:
        """By what share the volume became larger or smaller."""
        return abs(self.after.volume_mm3 - self.before.volume_mm3) / max(abs(self.before.volume_mm3), 1e-12)

    @property
    def asks(self) -> bool:
        """Whether somebody should look before it is taken."""
        return self.volume_change > ASKS_FROM


def merge_near(mesh: Mesh, near_mm: float = NEAR_MM) -> Mesh:
    """Vertices within `near_mm` of each other become one; faces that vanish or are doubled by it go."""
    pairs = place_tree(mesh.vertices).query_pairs(near_mm, output_type="ndarray")
    count = len(mesh.vertices)
    label = components_of(count, pairs[:, 0], pairs[:, 1])
    sizes = np.bincount(label)
    vertices = np.column_stack([np.bincount(label, weights=axis) / sizes for axis in mesh.vertices.T])
    return drop_useless(Mesh(vertices, label[mesh.faces].astype(np.int32)))


def drop_useless(mesh: Mesh) -> Mesh:
    """Faces with two equal corners go; of faces with the same three corners one stays, or none where they face off."""
    mesh = mesh.with_faces(~collapsed_faces(mesh))
    if not len(mesh.faces):
        return mesh
    shape = np.sort(mesh.faces, axis=1)
    order = np.lexsort(shape.T)
    same = np.append(False, (shape[order][1:] == shape[order][:-1]).all(axis=1))
    if not same.any():
        return mesh
    group = np.empty(len(order), np.int64)
    group[order] = np.cumsum(~same) - 1
    turns = np.where(_is_even(mesh.faces), 1, -1)
    total = np.bincount(group, weights=turns)
    keeper = np.zeros(len(order), bool)
    for sign in (1, -1):
        # Where as many look one way as the other they bound nothing and all go.
        wanted = np.flatnonzero((turns == sign) & (np.sign(total[group]) == sign))
        keeper[wanted[np.unique(group[wanted], return_index=True)[1]]] = True
    return mesh.with_faces(keeper)


def _is_even(faces: np.ndarray) -> Bools:
    """(m,): whether the corners run as their sorted order does, turned about."""
    a, b, c = faces.T
    result: Bools = ((a < b) & (b < c)) | ((b < c) & (c < a)) | ((c < a) & (a < b))
    return result


def drop_stray(mesh: Mesh) -> Mesh:
    """Small shells that have come loose go."""
    topology = build_topology(mesh)
    gone = stray_shells(topology)
    return mesh.with_faces(~np.isin(topology.shell_of_face, gone))


def turn_shells(mesh: Mesh) -> Mesh:
    """Faces of each shell are made to agree, then shells that look inward are turned over; cavities stay."""
    topology = build_topology(mesh)
    faces = mesh.faces.copy()
    turned = _to_turn(topology)
    faces[turned] = faces[turned][:, ::-1]
    topology = build_topology(Mesh(mesh.vertices, faces))
    inward = np.isin(topology.shell_of_face, inward_shells(topology))
    faces = topology.mesh.faces.copy()
    faces[inward] = faces[inward][:, ::-1]
    return Mesh(mesh.vertices, faces)


def _to_turn(topology: Topology) -> Bools:
    """(m,): faces to turn so that neighbours agree: patches that agree are found first, then turned by area."""
    count = len(topology.mesh.faces)
    pairs, edges = topology.pair_faces, topology.pair_edges
    disagree = np.isin(edges, topology.misoriented_edges)
    if not disagree.any():
        return np.zeros(count, bool)
    good = pairs[~disagree]
    patch = components_of(count, good[:, 0], good[:, 1])
    areas = np.bincount(patch, weights=topology.mesh.areas)
    links: dict[int, set[int]] = {}
    for one, other in np.unique(patch[pairs[disagree]], axis=0).tolist():
        links.setdefault(one, set()).add(other)
        links.setdefault(other, set()).add(one)
    turns = np.zeros(len(areas), bool)
    seen = np.zeros(len(areas), bool)
    for seed in np.argsort(-areas).tolist():
        waiting = [] if seen[seed] else [seed]
        seen[seed] = True
        while waiting:
            here = waiting.pop()
            for other in links.get(here, ()):
                if not seen[other]:
                    seen[other], turns[other] = True, not turns[here]
                    waiting.append(other)
    result: Bools = turns[patch]
    return result


def unite_shells(mesh: Mesh) -> Mesh:
    """Shells that overlap become one solid without inner walls; cavities stay in the shell that holds them.

    Raises `EditError` where a shell is open: holes are closed first.
    """
    topology = build_topology(mesh)
    volumes = shell_volumes(topology)
    pieces = {int(shell): mesh.with_faces(topology.shell_of_face == shell)
              for shell in range(topology.shells)}  # fmt: skip
    solids = {shell: [piece] for shell, piece in pieces.items() if volumes[shell] > 0}
    for shell in np.flatnonzero(volumes < 0).tolist():
        point = pieces[shell].vertices[0]
        holders = [other for other in solids if contains_point(solids[other][0].corners, point)]
        if holders:
            solids[min(holders, key=lambda other: volumes[other])].append(pieces[shell])
    united = Manifold.batch_boolean([to_manifold(weld(join(group))) for group in solids.values()], OpType.Add)
    if united.is_empty():
        raise EditError("", "nothing would be left", "turn its shells first")
    return from_manifold(united)


STEPS: dict[str, tuple[str, Callable[[Mesh], Mesh]]] = {
    "near": ("Merge near vertices", merge_near),
    "useless": ("Drop degenerate and doubled faces", drop_useless),
    "holes": ("Close holes", close_holes),
    "stray": ("Drop stray shells", drop_stray),
    "turn": ("Turn shells outward", turn_shells),
    "unite": ("Unite overlapping shells", unite_shells),
}
CURES = {
    "open": "holes", "crowded": "useless", "disagreeing": "turn", "inward": "turn", "stray": "stray",
    "degenerate": "near", "doubled": "useless", "crossing": "unite",
}  # fmt: skip
"""The step that helps against each kind of fault."""


@heavy
def mend(mesh: Mesh, step: str, watch: Watch = UNWATCHED) -> Mended:
    """One named step with figures before and after."""
    title, work = STEPS[step]
    watch.at(0.05, f"examining before: {title.lower()}")
    before = examine(build_topology(mesh))
    watch.at(0.3, title.lower())
    mended = work(mesh)
    watch.at(0.7, f"examining after: {title.lower()}")
    return Mended(title, mended, before, examine(build_topology(mended)))


@heavy
def mend_all(mesh: Mesh, watch: Watch = UNWATCHED) -> Mended:
    """Every step that the mesh needs, in order, until it is sound or nothing helps further."""
    watch.at(0.02, "examining before mending")
    before = now = examine(build_topology(mesh))
    current, helped = mesh, []
    for number, step in enumerate(("near", "useless", "turn", "holes", "stray", "turn")):
        stretch = Stretch(watch, 0.05 + 0.15 * number, 0.2 + 0.15 * number)
        if step not in _needed(now, current):
            continue
        tried = mend(current, step, stretch)
        if len(tried.mesh.faces):
            current, now = tried.mesh, tried.after
            helped.append(tried.title.lower())
    title = f"Mend ({', '.join(dict.fromkeys(helped))})" if helped else "Mend"
    return Mended(title, current, before, now)


def _needed(health: MeshHealth, mesh: Mesh) -> set[str]:
    needed = set()
    if health.open_edges or health.degenerate_faces:
        needed |= {"near", "holes"} if health.open_edges else {"near"}
    if health.duplicate_faces or health.non_manifold_edges or health.degenerate_faces:
        needed.add("useless")
    if health.misoriented_edges or health.inward_shells or health.volume_mm3 < 0:
        needed.add("turn")
    if health.shells > 1 and len(stray_shells(build_topology(mesh))):
        needed.add("stray")
    return needed
