"""What stands out of a shape: sharp edges, and surfaces that supports had better not touch (detail, inner faces)."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.directions import any_across
from lean_trellis.core.mesh.picking import smooth_patches
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.progress import UNWATCHED, Watch

_DIRECTIONS = 48
_INNER_SHARE = 0.3
_MOST_RAYS = 4_000_000
_NUDGE = 1e-5
_SHARP_DEG = 30.0


def sharp_edges(topology: Topology, sharp_deg: float = _SHARP_DEG) -> Longs:
    """(k, 2): the vertices of edges at which the surface turns by more than an angle or ends."""
    normals = topology.mesh.normals[topology.pair_faces]
    turns = np.einsum("ij,ij->i", normals[:, 0], normals[:, 1]) < np.cos(np.radians(sharp_deg))
    edges = np.concatenate([topology.pair_edges[turns], topology.open_edges])
    return topology.edge_vertices[np.sort(edges)].astype(np.int64)


@heavy
def fine_detail(topology: Topology, size_mm: float) -> Longs:
    """Faces of features smaller than `size_mm`: what is left when all patches larger than that are taken away.

    The mesh is parted along its sharp edges into patches; a patch is small when the box round it has a diagonal under
    `size_mm`. Small patches that touch make up one feature, which counts as detail when the whole of it is no larger
    than three times the size, so that a large surface of many small facets is none.
    """
    mesh = topology.mesh
    patches = smooth_patches(topology, step_deg=_SHARP_DEG)
    small = (_diagonals(topology, patches.of_face) <= size_mm)[patches.of_face]
    pairs = topology.pair_faces
    pairs = pairs[small[pairs].all(axis=1)]
    feature = components_of(len(mesh.faces), pairs[:, 0], pairs[:, 1])
    whole = _diagonals(topology, feature)
    return np.flatnonzero(small & (whole[feature] <= 3 * size_mm))


def _diagonals(topology: Topology, labels: Longs) -> Floats:
    """(k,): diagonal of the box round the faces of each label, mm."""
    mesh = topology.mesh
    count = int(labels.max(initial=-1)) + 1
    low, high = np.full((count, 3), np.inf), np.full((count, 3), -np.inf)
    np.minimum.at(low, labels, mesh.face_lows)
    np.maximum.at(high, labels, mesh.face_highs)
    result: Floats = np.linalg.norm(high - low, axis=1)
    return result


@heavy
def inner_faces(topology: Topology, tree: RayTree, watch: Watch = UNWATCHED) -> Longs:
    """Faces that look at the part itself: more than 30 % of what lies before them is the part.

    Measured by rays spread over the half space before each face, weighted by the cosine (as light would fall), to
    anything nearer than the part is large. Single faces are smoothed out by their neighbours.
    """
    mesh = topology.mesh
    if not len(mesh.faces):
        return np.zeros(0, np.int64)
    directions = min(_DIRECTIONS, max(12, _MOST_RAYS // len(mesh.faces)))
    local = _cosine_directions(directions)
    across = _across(mesh.normals)
    other = np.cross(mesh.normals, across)
    size = float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    origins = mesh.centroids + _NUDGE * size * mesh.normals
    hidden = np.zeros(len(mesh.faces))
    for number, (u, v, w) in enumerate(local.tolist()):
        watch.at(number / directions, "looking for inner faces")
        towards = u * across + v * other + w * mesh.normals
        hidden += np.isfinite(tree.first_hits(origins, towards).distance)
    share = hidden / directions
    return np.flatnonzero(_smoothed(topology, share) > _INNER_SHARE)


def _cosine_directions(count: int) -> Floats:
    """(count, 3): directions over the half sphere about z, as many per area as the cosine asks (sunflower disc)."""
    place = np.arange(count) + 0.5
    radius, turn = np.sqrt(place / count), np.pi * (1 + 5**0.5) * place
    return np.column_stack([radius * np.cos(turn), radius * np.sin(turn), np.sqrt(1 - place / count)])


def _across(normals: Floats) -> Floats:
    """(m, 3): a unit direction square to each normal."""
    first = any_across(np.array([0.0, 0.0, 1.0]))
    across = np.cross(normals, first)
    weak = np.linalg.norm(across, axis=1) < 0.1
    across[weak] = np.cross(normals[weak], [0.0, 0.0, 1.0])
    length = np.linalg.norm(across, axis=1, keepdims=True)
    result: Floats = across / np.where(length > 0, length, 1)
    return result


def _smoothed(topology: Topology, values: Floats) -> Floats:
    """Each face's value and those of its neighbours over blunt edges, averaged once."""
    mesh = topology.mesh
    pairs = topology.pair_faces
    cosines = np.einsum("ij,ij->i", mesh.normals[pairs[:, 0]], mesh.normals[pairs[:, 1]])
    pairs = pairs[cosines > np.cos(np.radians(_SHARP_DEG))]
    total, count = values.copy(), np.ones(len(values))
    for one, two in (pairs.T, pairs[:, ::-1].T):
        np.add.at(total, one, values[two])
        np.add.at(count, one, 1)
    result: Floats = total / count
    return result
