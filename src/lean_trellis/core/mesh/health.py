"""Is a mesh sound? The figures that `inspect` and the parts list show."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology, build_topology, collapsed_faces
from lean_trellis.core.mesh.winding import contains_point


@dataclass(frozen=True)
class MeshHealth:
    """Figures of a welded mesh; lengths in mm."""

    triangles: int
    vertices: int
    shells: int
    watertight: bool
    volume_mm3: float
    area_mm2: float
    bounds_mm: tuple[tuple[float, float, float], tuple[float, float, float]]
    open_edges: int
    non_manifold_edges: int
    misoriented_edges: int
    degenerate_faces: int
    duplicate_faces: int
    inward_shells: int

    @property
    def is_sound(self) -> bool:
        """Whether the mesh bounds a solid without doubt: closed, consistent, outward."""
        return self.watertight and not self.misoriented_edges and not self.inward_shells and self.volume_mm3 > 0

    @property
    def enclosed_mm3(self) -> float | None:
        """The volume; None of what is open or turned inward and encloses none."""
        return self.volume_mm3 if self.volume_mm3 > 0 else None

    @property
    def in_words(self) -> str:
        """`sound`, or what is wrong with it, the worst first."""
        counts = [
            (self.open_edges, "open edge", "open edges"),
            (self.non_manifold_edges, "edge with more than two faces", "edges with more than two faces"),
            (self.misoriented_edges, "edge between faces that disagree", "edges between faces that disagree"),
            (self.inward_shells, "shell turned inward", "shells turned inward"),
        ]
        said = [f"{n:,} {one if n == 1 else more}" for n, one, more in counts if n]
        return ", ".join(said) if said else "sound"


@heavy
def examine(topology: Topology) -> MeshHealth:
    """All figures of one welded mesh."""
    mesh = topology.mesh
    low, high = mesh.bounds.tolist()
    return MeshHealth(
        triangles=len(mesh.faces),
        vertices=len(mesh.vertices),
        shells=topology.shells,
        watertight=topology.is_watertight,
        volume_mm3=mesh.volume,
        area_mm2=mesh.area,
        bounds_mm=(tuple(low), tuple(high)),
        open_edges=len(topology.open_edges),
        non_manifold_edges=len(topology.non_manifold_edges),
        misoriented_edges=len(topology.misoriented_edges),
        degenerate_faces=len(degenerate_faces(mesh)),
        duplicate_faces=len(duplicate_faces(topology)),
        inward_shells=len(inward_shells(topology)),
    )


def examine_mesh(mesh: Mesh) -> MeshHealth:
    """`examine` for a mesh whose topology nobody else needs."""
    return examine(build_topology(mesh))


def degenerate_faces(mesh: Mesh) -> Longs:
    """Faces with two equal corners, or so thin that they have no area to speak of.

    A face counts as thin where twice its area is below 1e-12 of its longest edge squared.
    """
    diagonal = mesh.bounds[1] - mesh.bounds[0]
    suspects = np.flatnonzero(2 * mesh.areas <= 1e-12 * float(diagonal @ diagonal))
    corners = mesh.vertices[mesh.faces[suspects]]
    edges = corners - np.roll(corners, 1, axis=1)
    longest = np.einsum("ijk,ijk->ij", edges, edges).max(axis=1, initial=0.0)
    collapsed = collapsed_faces(mesh)[suspects]
    return suspects[collapsed | (2 * mesh.areas[suspects] <= 1e-12 * longest)]


def duplicate_faces(topology: Topology) -> Longs:
    """Faces with the same three vertices as an earlier face.

    They lie at edges with more than two faces, or are each other's only neighbour: only those are compared.
    """
    in_crowd = np.repeat(topology.face_count > 2, topology.face_count)
    crowded = topology.corner_order[in_crowd] // 3
    return _repeated(topology.mesh, np.unique(np.concatenate([crowded, _pairs_on_one_shape(topology)])))


def _pairs_on_one_shape(topology: Topology) -> Longs:
    """Faces that share an edge and the third vertex with their only neighbour there."""
    sums = topology.mesh.faces.sum(axis=1, dtype=np.int64)
    pairs = topology.pair_faces
    return pairs[sums[pairs[:, 0]] == sums[pairs[:, 1]]].reshape(-1)


def _repeated(mesh: Mesh, faces: Longs) -> Longs:
    shapes = np.sort(mesh.faces[faces], axis=1)
    first = np.unique(shapes, axis=0, return_index=True)[1] if len(faces) else np.zeros(0, np.int64)
    return np.delete(faces, first)


def shell_volumes(topology: Topology) -> Floats:
    """(s,): signed volume of each shell in mm³, meaningful for the closed ones."""
    mesh = topology.mesh
    a = mesh.vertices[mesh.faces[:, 0]] - mesh.middle
    parts = np.einsum("ij,ij->i", a, mesh.cross_products) / 6
    return np.bincount(topology.shell_of_face, weights=parts, minlength=topology.shells).astype(np.float64)


def inward_shells(topology: Topology) -> Longs:
    """Shells of negative volume that bound no cavity: inside an even number of other shells."""
    volumes = shell_volumes(topology)
    suspects = np.flatnonzero(volumes < 0)
    if not len(suspects):
        return suspects
    mesh, shell_of_face = topology.mesh, topology.shell_of_face
    order = np.argsort(shell_of_face, kind="stable")
    ends = np.searchsorted(shell_of_face[order], np.arange(topology.shells + 1))
    corner_lows = mesh.corners.min(axis=1)[order]
    corner_highs = mesh.corners.max(axis=1)[order]
    lows = np.minimum.reduceat(corner_lows, ends[:-1])
    highs = np.maximum.reduceat(corner_highs, ends[:-1])

    def depth(shell: int) -> int:
        around = (lows <= lows[shell]).all(axis=1) & (highs >= highs[shell]).all(axis=1)
        around[shell] = False
        point = mesh.vertices[mesh.faces[order[ends[shell]], 0]]
        return sum(
            contains_point(mesh.corners[order[ends[other] : ends[other + 1]]], point)
            for other in np.flatnonzero(around)
        )

    return np.array([shell for shell in suspects if depth(int(shell)) % 2 == 0], dtype=np.int64)
