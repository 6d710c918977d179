"""What touches what: edges, the faces at them, and shells."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs, frozen
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.mesh import Mesh


@dataclass(frozen=True, eq=False)
class Topology:
    """The edges of a welded mesh. Faces with two equal corners take no part.

    `corner_order` (k,) lists face corners 3·face + i (the edge from corner i to the next), sorted so that
    corners of one edge stand together; `starts` (e + 1,) tells where each edge begins in it.
    `edge_vertices` is (e, 2), lower number first; `face_count` (e,) the faces at each edge.
    """

    mesh: Mesh
    corner_order: Longs
    starts: Longs
    edge_vertices: Ints
    face_count: Ints

    @cached_property
    def pair_edges(self) -> Longs:
        """(p,): the edges with exactly two faces."""
        return frozen(np.flatnonzero(self.face_count == 2))

    @cached_property
    def pair_faces(self) -> Longs:
        """(p, 2): the two faces at each of `pair_edges`."""
        first = self.starts[self.pair_edges]
        return frozen(np.stack([self.corner_order[first], self.corner_order[first + 1]], axis=1) // 3)

    @cached_property
    def pair_lengths(self) -> Floats:
        """(p,): length of each of `pair_edges`, mm; the same in every pose."""
        ends = self.edge_vertices[self.pair_edges]
        step = self.mesh.vertices[ends[:, 1]] - self.mesh.vertices[ends[:, 0]]
        return frozen(np.sqrt(np.einsum("ij,ij->i", step, step)))

    @cached_property
    def edge_of_corner(self) -> Longs:
        """(3 m,): the edge that starts at each corner; -1 for faces that take no part."""
        result = np.full(3 * len(self.mesh.faces), -1, np.int64)
        result[self.corner_order] = np.repeat(np.arange(len(self.face_count)), self.face_count)
        return frozen(result)

    @cached_property
    def open_edges(self) -> Longs:
        """Edges with one face only."""
        return frozen(np.flatnonzero(self.face_count == 1))

    @cached_property
    def non_manifold_edges(self) -> Longs:
        """Edges with more than two faces."""
        return frozen(np.flatnonzero(self.face_count > 2))

    @cached_property
    def misoriented_edges(self) -> Longs:
        """Edges whose two faces run along them in the same direction: one of them is turned over."""
        first = self.starts[self.pair_edges]
        begins = self.mesh.faces.reshape(-1)
        same = begins[self.corner_order[first]] == begins[self.corner_order[first + 1]]
        return frozen(self.pair_edges[same])

    @cached_property
    def shell_of_face(self) -> Ints:
        """(m,): number of the connected piece of surface to which each face belongs."""
        faces = self.mesh.faces
        n = len(self.mesh.vertices)
        if not len(faces):
            return frozen(np.zeros(0, np.int32))
        manifold = len(self.non_manifold_edges) == 0
        if manifold:
            pairs = self.pair_faces
            return frozen(components_of(len(faces), pairs[:, 0], pairs[:, 1]).astype(np.int32))
        rows = np.concatenate([faces[:, 0], faces[:, 1]])
        columns = np.concatenate([faces[:, 1], faces[:, 2]])
        of_vertex = components_of(n, rows, columns)
        return frozen(np.unique(of_vertex[faces[:, 0]], return_inverse=True)[1].astype(np.int32))

    @cached_property
    def shells(self) -> int:
        """How many connected pieces of surface there are."""
        return int(self.shell_of_face.max(initial=-1)) + 1

    @cached_property
    def is_watertight(self) -> bool:
        """Whether every edge has exactly two faces (and there is at least one)."""
        return len(self.face_count) > 0 and bool((self.face_count == 2).all())


@heavy
def build_topology(mesh: Mesh) -> Topology:
    """Sort the edges of a welded mesh once, as packed integers where they fit in 64 bits."""
    collapsed = collapsed_faces(mesh)
    faces = mesh.faces
    corners = np.arange(3 * len(faces), dtype=np.int64)
    begins = faces.reshape(-1).astype(np.int64)
    ends = np.roll(faces, -1, axis=1).reshape(-1).astype(np.int64)
    if collapsed.any():
        keep = np.repeat(~collapsed, 3)
        corners, begins, ends = corners[keep], begins[keep], ends[keep]
    low, high = np.minimum(begins, ends), np.maximum(begins, ends)
    order, keys = _sorted_edges(low, high, corners, len(mesh.vertices))
    is_first = np.concatenate([[True], keys[1:] != keys[:-1]]) if len(keys) else np.zeros(0, bool)
    starts = np.flatnonzero(is_first)
    edge_vertices = np.stack([keys[starts] // max(1, len(mesh.vertices)), keys[starts] % max(1, len(mesh.vertices))], 1)
    starts = np.append(starts, len(keys))
    return Topology(
        mesh,
        frozen(order),
        frozen(starts),
        frozen(edge_vertices.astype(np.int32)),
        frozen(np.diff(starts).astype(np.int32)),
    )


def _sorted_edges(low: Longs, high: Longs, corners: Longs, n_vertices: int) -> tuple[Longs, Longs]:
    """Corners ordered by their edge, and the edge's key low · n + high for each."""
    keys = low * n_vertices + high
    corner_bits = max(1, int(corners.max(initial=0)).bit_length())
    if max(1, n_vertices * n_vertices).bit_length() + corner_bits <= 63:
        packed = np.sort((keys << corner_bits) | corners)
        return packed & ((1 << corner_bits) - 1), packed >> corner_bits
    order = np.argsort(keys, kind="stable")
    return corners[order], keys[order]


def collapsed_faces(mesh: Mesh) -> Bools:
    """(m,): faces with two equal corner numbers."""
    a, b, c = mesh.faces.T
    result: Bools = (a == b) | (b == c) | (c == a)
    return result
