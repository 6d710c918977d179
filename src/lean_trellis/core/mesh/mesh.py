"""The triangle mesh: vertices, faces and the figures that follow from them directly."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Ints, Longs, crossed, frozen

_EXTENTS_KEPT = 96


@dataclass(frozen=True, eq=False)
class Mesh:
    """A read-only triangle mesh, compared by identity.

    `vertices` is (n, 3) float64 in mm, `faces` (m, 3) int32, counter-clockwise seen from outside.
    Empty arrays are allowed: figures are then zero and bounds are zero as well.
    """

    vertices: Floats
    faces: Ints

    def __post_init__(self) -> None:
        vertices = np.asarray(self.vertices, dtype=np.float64).reshape(-1, 3)
        faces = np.asarray(self.faces, dtype=np.int32).reshape(-1, 3)
        object.__setattr__(self, "vertices", frozen(vertices))
        object.__setattr__(self, "faces", frozen(faces))

    def __getstate__(self) -> dict[str, object]:
        """What travels to another process: the arrays and their key, nothing that follows from them."""
        return {"vertices": self.vertices, "faces": self.faces, "key": self.key}

    def __setstate__(self, state: dict[str, object]) -> None:
        self.__dict__.update(state)
        self.vertices.flags.writeable = self.faces.flags.writeable = False

    @cached_property
    def key(self) -> str:
        """Hash of the content: equal meshes have equal keys, in every process and session."""
        digest = hashlib.blake2b(digest_size=16)
        digest.update(np.int64(len(self.vertices)).tobytes())
        digest.update(self.vertices.tobytes())
        digest.update(self.faces.tobytes())
        return digest.hexdigest()

    @cached_property
    def corners(self) -> Floats:
        """(m, 3, 3): the corner points of each face."""
        return frozen(self.vertices[self.faces])

    @cached_property
    def cross_products(self) -> Floats:
        """(m, 3): outward normals with the length of twice the face's area."""
        a, b, c = (self.vertices[self.faces[:, i]] for i in range(3))
        u, v = b - a, c - a
        result = np.empty_like(u)
        for axis in range(3):  # np.cross makes twice the copies
            i, j = (axis + 1) % 3, (axis + 2) % 3
            result[:, axis] = u[:, i] * v[:, j] - u[:, j] * v[:, i]
        return frozen(result)

    @cached_property
    def areas(self) -> Floats:
        """(m,): area of each face in mm²."""
        return frozen(np.sqrt(np.einsum("ij,ij->i", self.cross_products, self.cross_products)) / 2)

    @cached_property
    def normals(self) -> Floats:
        """(m, 3): outward unit normals; zero for degenerate faces."""
        lengths = 2 * self.areas[:, None]
        return frozen(np.divide(self.cross_products, lengths, out=np.zeros((len(self.faces), 3)), where=lengths > 0))

    @cached_property
    def vertex_normals(self) -> Floats:
        """(n, 3): unit means of the normals of the faces at each vertex, by their area; zeros where none is."""
        sums = np.zeros((len(self.vertices), 3))
        for corner in range(3):
            np.add.at(sums, self.faces[:, corner], self.cross_products)
        lengths = np.linalg.norm(sums, axis=1, keepdims=True)
        return frozen(sums / np.where(lengths > 0, lengths, 1))

    @cached_property
    def centroids(self) -> Floats:
        """(m, 3): middle of each face."""
        return frozen(self.centroids_of(np.arange(len(self.faces))))

    @cached_property
    def face_lows(self) -> Floats:
        """(m, 3): lowest corner of the box round each face."""
        a, b, c = (self.vertices[self.faces[:, i]] for i in range(3))
        return frozen(np.minimum(np.minimum(a, b), c))

    @cached_property
    def face_highs(self) -> Floats:
        """(m, 3): highest corner of the box round each face."""
        a, b, c = (self.vertices[self.faces[:, i]] for i in range(3))
        return frozen(np.maximum(np.maximum(a, b), c))

    def areas_of(self, faces: Longs) -> Floats:
        """(k,): areas of some faces alone."""
        a, b, c = (self.vertices[self.faces[faces, corner]] for corner in range(3))
        areas: Floats = 0.5 * np.linalg.norm(crossed(b - a, c - a), axis=1)
        return areas

    def centroids_of(self, faces: Longs) -> Floats:
        """(k, 3): middle of some faces, by their numbers."""
        a, b, c = (self.vertices[self.faces[faces, i]] for i in range(3))
        result: Floats = (a + b + c) / 3
        return result

    @cached_property
    def bounds(self) -> Floats:
        """(2, 3): lowest and highest corner of the box round the faces' vertices."""
        if not len(self.vertices):
            return frozen(np.zeros((2, 3)))
        columns = [self.vertices[:, axis] for axis in range(3)]
        return frozen(np.array([[c.min() for c in columns], [c.max() for c in columns]]))

    @cached_property
    def _extents(self) -> dict[tuple[float, ...], tuple[float, float]]:
        return {}

    def extent(self, direction: Floats) -> tuple[float, float]:
        """Lowest and highest vertex along a (3,) direction, mm; (0, 0) for an empty mesh.

        Asked for over and over while parts are placed: the latest directions are kept.
        """
        if not len(self.vertices):
            return 0.0, 0.0
        known, asked = self._extents, tuple(float(x) for x in direction)
        if asked not in known:
            along = self.vertices @ np.asarray(direction)
            if len(known) >= _EXTENTS_KEPT:
                known.pop(next(iter(known)), None)
            known[asked] = float(along.min()), float(along.max())
        return known[asked]

    @property
    def middle(self) -> Floats:
        """(3,): middle of the bounding box."""
        centre: Floats = self.bounds.mean(axis=0)
        return centre

    @cached_property
    def volume(self) -> float:
        """Signed volume in mm³ by the divergence theorem, taken about the middle for accuracy."""
        if not len(self.faces):
            return 0.0
        a = self.vertices[self.faces[:, 0]] - self.middle
        return float(np.einsum("ij,ij->", a, self.cross_products) / 6)

    @property
    def area(self) -> float:
        """Total area in mm²."""
        return float(self.areas.sum())

    def moved(self, rotation: Floats, shift: Floats) -> Mesh:
        """This mesh turned by the (3, 3) `rotation` (no scaling, no mirror), then shifted by the (3,) `shift`."""
        turn = np.asarray(rotation)
        result = Mesh(self.vertices @ turn.T + np.asarray(shift), self.faces)
        # A turn changes no area and turns the normals: both are handed on, not measured again.
        result.__dict__["areas"] = self.areas
        result.__dict__["normals"] = frozen(self.normals @ turn.T)
        return result

    def scaled(self, factor: float) -> Mesh:
        """This mesh with all lengths multiplied by `factor`."""
        return Mesh(self.vertices * factor, self.faces)

    def with_faces(self, chosen: Ints | Longs | Bools) -> Mesh:
        """Only the `chosen` faces (indices or mask), with the vertices they use."""
        faces = self.faces[chosen]
        used, renumbered = np.unique(faces, return_inverse=True)
        return Mesh(self.vertices[used], renumbered.reshape(-1, 3).astype(np.int32))


def join(meshes: list[Mesh]) -> Mesh:
    """All meshes in one, side by side, nothing united. An empty list gives an empty mesh."""
    if not meshes:
        return Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))
    starts = np.cumsum([0] + [len(mesh.vertices) for mesh in meshes[:-1]])
    return Mesh(
        np.concatenate([mesh.vertices for mesh in meshes]),
        np.concatenate([mesh.faces + start for mesh, start in zip(meshes, starts, strict=True)]),
    )


def centre_of_mass(mesh: Mesh) -> Floats:
    """(3,): of the solid that a mesh bounds, by tetrahedra from its middle; that middle where it bounds none."""
    corners = mesh.corners - mesh.middle
    volumes = np.einsum("ij,ij->i", corners[:, 0], crossed(corners[:, 1], corners[:, 2])) / 6
    whole = float(volumes.sum())
    if whole < 1e-9:
        return mesh.middle
    result: Floats = mesh.middle + (volumes[:, None] * corners.sum(axis=1)).sum(axis=0) / (4 * whole)
    return result
