"""Where a mesh is not sound: the places of each kind of fault, to be shown and flown to."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.health import degenerate_faces, duplicate_faces, inward_shells, shell_volumes
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.progress import UNWATCHED, Watch

STRAY_AREA_SHARE = 0.005
STRAY_LENGTH_SHARE = 0.1
_MOST_PROBES = 200_000
_OPPOSITE = -0.7
_OFF_ENDS = 1e-3


@dataclass(frozen=True, eq=False)
class MeshFault:
    """One kind of fault: its `count`, (s, 2, 3) `segments` and `faces` that show it, mesh coordinates.

    `places` are at most a few hundred (p, 3) points to fly to, the worst first where there is a worst.
    """

    kind: str
    title: str
    count: int
    segments: Floats
    faces: Longs
    places: Floats


_NO_SEGMENTS = np.zeros((0, 2, 3))
_NO_FACES = np.zeros(0, np.int64)
_MOST_PLACES = 300


@heavy
def find_faults(
    topology: Topology, tree: RayTree, *, least_wall: float = 0.0, watch: Watch = UNWATCHED
) -> tuple[MeshFault, ...]:
    """All faults of a welded mesh that are there, in the order in which they are best mended.

    `least_wall` in mm is the thinnest wall that the process makes; 0 passes walls over.
    """
    watch.at(0.1, "looking for open edges")
    faults = [
        _edges("open", "Open edges", topology, topology.open_edges),
        _edges("crowded", "Edges with more than two faces", topology, topology.non_manifold_edges),
        _edges("disagreeing", "Edges between faces that disagree", topology, topology.misoriented_edges),
        _shells("inward", "Shells turned inward", topology, inward_shells(topology)),
        _shells("stray", "Stray small shells", topology, stray_shells(topology)),
        _of_faces("degenerate", "Degenerate faces", topology.mesh, degenerate_faces(topology.mesh)),
        _of_faces("doubled", "Doubled faces", topology.mesh, duplicate_faces(topology)),
    ]
    watch.at(0.3, "looking for surfaces that pass through each other")
    faults.append(_of_faces("crossing", "Faces passing through others", topology.mesh, crossing_faces(topology, tree)))
    if least_wall > 0:
        watch.at(0.7, "measuring walls")
        faces, thickness = thin_faces(topology.mesh, tree, least_wall)
        faults.append(_of_faces("thin", f"Walls under {least_wall:g} mm", topology.mesh, faces[np.argsort(thickness)]))
    return tuple(fault for fault in faults if fault.count)


def _edges(kind: str, title: str, topology: Topology, edges: Longs) -> MeshFault:
    segments = topology.mesh.vertices[topology.edge_vertices[edges]]
    return MeshFault(kind, title, len(edges), segments, _NO_FACES, segments.mean(axis=1)[:_MOST_PLACES])


def _of_faces(kind: str, title: str, mesh: Mesh, faces: Longs) -> MeshFault:
    return MeshFault(kind, title, len(faces), _NO_SEGMENTS, faces, mesh.centroids_of(faces[:_MOST_PLACES]))


def _shells(kind: str, title: str, topology: Topology, shells: Longs) -> MeshFault:
    faces = np.flatnonzero(np.isin(topology.shell_of_face, shells))
    firsts = np.array([np.flatnonzero(topology.shell_of_face == shell)[0] for shell in shells[:_MOST_PLACES]], np.int64)
    places = topology.mesh.centroids_of(firsts) if len(firsts) else np.zeros((0, 3))
    return MeshFault(kind, title, len(shells), _NO_SEGMENTS, faces, places)


def stray_shells(topology: Topology) -> Longs:
    """Shells that are tiny against the largest, in area and in length, and bound no cavity."""
    if topology.shells < 2:
        return _NO_FACES
    shell_of_face, mesh = topology.shell_of_face, topology.mesh
    areas = np.bincount(shell_of_face, weights=mesh.areas, minlength=topology.shells)
    lengths = _shell_lengths(topology)
    largest = int(np.argmax(areas))
    small = (areas < STRAY_AREA_SHARE * areas[largest]) & (lengths < STRAY_LENGTH_SHARE * lengths[largest])
    is_cavity = shell_volumes(topology) < 0
    is_cavity[inward_shells(topology)] = False
    return np.flatnonzero(small & ~is_cavity)


def _shell_lengths(topology: Topology) -> Floats:
    """(s,): diagonal of the box round each shell."""
    order = np.argsort(topology.shell_of_face, kind="stable")
    starts = np.searchsorted(topology.shell_of_face[order], np.arange(topology.shells))
    low = np.minimum.reduceat(topology.mesh.face_lows[order], starts)
    high = np.maximum.reduceat(topology.mesh.face_highs[order], starts)
    result: Floats = np.linalg.norm(high - low, axis=1)
    return result


@heavy
def crossing_faces(topology: Topology, tree: RayTree) -> Longs:
    """Faces that an edge of another part of the surface passes through.

    Each edge is cast as a ray over its own length; what it meets is measured again in float64, and faces at its
    own ends do not count. Surfaces that lie on each other without passing through are not found.
    """
    mesh = topology.mesh
    starts, stops = (mesh.vertices[topology.edge_vertices[:, end]] for end in (0, 1))
    along = stops - starts
    lengths = np.linalg.norm(along, axis=1)
    sound = lengths > 0
    unit = np.divide(along, lengths[:, None], out=np.zeros_like(along), where=sound[:, None])
    hits = tree.first_hits(starts + 1e-4 * along, unit)
    struck = np.flatnonzero((hits.face >= 0) & (hits.distance < (1 - 2e-4) * lengths) & sound)
    faces = hits.face[struck]
    own = (mesh.faces[faces][:, :, None] == topology.edge_vertices[struck][:, None, :]).any(axis=(1, 2))
    struck, faces = struck[~own], faces[~own]
    inside = _passes_inside(starts[struck], stops[struck], mesh.vertices[mesh.faces[faces]])
    return np.unique(faces[inside])


def _passes_inside(p: Floats, q: Floats, corners: Floats) -> np.ndarray:
    """(k,): whether segment p-q passes through its triangle, rim included, and not just with one of its ends."""
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    normal = np.cross(b - a, c - a)
    from_p, from_q = (np.einsum("ij,ij->i", end - a, normal) for end in (p, q))
    across = from_p * from_q < 0
    share = np.where(across, from_p / np.where(across, from_p - from_q, 1), 0)
    place = p + share[:, None] * (q - p)
    squared = np.maximum(np.einsum("ij,ij->i", normal, normal), 1e-300)
    weights = [
        np.einsum("ij,ij->i", np.cross(other - one, place - one), normal) / squared
        for one, other in ((a, b), (b, c), (c, a))
    ]
    return across & (np.min(weights, axis=0) >= -1e-9) & (share > _OFF_ENDS) & (share < 1 - _OFF_ENDS)


@heavy
def thin_faces(mesh: Mesh, tree: RayTree, least_wall: float) -> tuple[Longs, Floats]:
    """Faces behind which the solid is thinner than `least_wall` mm, and the (k,) thickness there.

    Measured by a ray from each face's middle straight inwards to a face that looks the other way; of heavy meshes
    an even sample of 200,000 faces.
    """
    step = max(1, len(mesh.faces) // _MOST_PROBES)
    faces = np.arange(0, len(mesh.faces), step)
    faces = faces[mesh.areas[faces] > 0]
    inwards = -mesh.normals[faces]
    nudge = 1e-4 * least_wall
    hits = tree.first_hits(mesh.centroids_of(faces) + nudge * inwards, inwards)
    thickness = hits.distance + nudge
    opposite = np.einsum("ij,ij->i", mesh.normals[faces], mesh.normals[hits.face]) < _OPPOSITE
    thin = (hits.face >= 0) & opposite & (thickness < least_wall)
    return faces[thin], thickness[thin]
