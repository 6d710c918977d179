"""Low edges and points: lower than their neighbourhood, with solid above, though no face is critical."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology

LEVEL_EDGE_DEG = 5.0
"""An edge that rises less than this along itself counts as level: it begins (nearly) at once. Assumed."""


@dataclass(frozen=True, eq=False)
class LowPlaces:
    """`edges`: vertex numbers of each chain of low edges; `points`: one vertex each."""

    edges: tuple[Longs, ...]
    points: tuple[Longs, ...]


def find_low_places(
    topology: Topology, placed: Mesh, layer_normal: Floats, *, critical: Bools, resting: Bools
) -> LowPlaces:
    """Find them on a mesh in its pose.

    `layer_normal` is a (3,) unit vector, `critical` (m,) marks faces that belong to a region already,
    `resting` (n,) vertices on the plate. A low edge is level within 5°, and both its faces rise from it
    with the solid between them; a low point has no lower or equal neighbour.
    """
    taken = np.zeros(len(placed.vertices), bool)
    taken[placed.faces[critical]] = True
    edges = _low_edges(topology, placed, layer_normal, taken | resting)
    chains = _chained(topology.edge_vertices[edges])
    on_chain = np.zeros(len(placed.vertices), bool)
    on_chain[topology.edge_vertices[edges]] = True
    points = _low_points(topology, placed, layer_normal, taken | resting | on_chain)
    return LowPlaces(chains, tuple(points[:, None]))


def _low_edges(topology: Topology, placed: Mesh, up: Floats, excluded: Bools) -> Longs:
    """Level edges from which both faces rise, with air below: the mean normal of the faces points down."""
    along = placed.vertices @ up
    ends = topology.edge_vertices[topology.pair_edges]
    rise = np.abs(along[ends[:, 1]] - along[ends[:, 0]])
    level = rise <= topology.pair_lengths * np.sin(np.radians(LEVEL_EDGE_DEG))
    candidates = np.flatnonzero(level & ~excluded[ends].any(axis=1))
    edges, pairs, ends = topology.pair_edges[candidates], topology.pair_faces[candidates], ends[candidates]
    third = placed.faces[pairs].sum(axis=2) - ends.sum(axis=1)[:, None]
    above = along[third] > along[ends].max(axis=1)[:, None]
    faces_down = placed.normals[pairs].sum(axis=1) @ up < 0
    return edges[above.all(axis=1) & faces_down]


def _low_points(topology: Topology, placed: Mesh, up: Floats, excluded: Bools) -> Longs:
    """Vertices below all their neighbours, with solid above."""
    along = placed.vertices @ up
    ends = topology.edge_vertices
    lowest_neighbour = np.full(len(placed.vertices), np.inf)
    np.minimum.at(lowest_neighbour, ends[:, 0], along[ends[:, 1]])
    np.minimum.at(lowest_neighbour, ends[:, 1], along[ends[:, 0]])
    used = np.isfinite(lowest_neighbour)
    candidates = used & (along < lowest_neighbour) & ~excluded
    if not candidates.any():
        return np.zeros(0, np.int64)
    normals = np.zeros((len(placed.vertices), 3))
    touching = candidates[placed.faces]
    rows, corners = np.nonzero(touching)
    np.add.at(normals, placed.faces[rows, corners], placed.normals[rows])
    return np.flatnonzero(candidates & (normals @ up < 0))


def _chained(ends: Ints) -> tuple[Longs, ...]:
    """Vertex numbers of each connected chain of edges."""
    if not len(ends):
        return ()
    used, local = np.unique(ends, return_inverse=True)
    local = local.reshape(-1, 2)
    labels = components_of(len(used), local[:, 0], local[:, 1])
    return tuple(used[labels == chain].astype(np.int64) for chain in range(labels.max() + 1))
