"""Plain solids made by code: boxes, balls, cones, extrusions, revolutions. Closed, outward, welded."""

from __future__ import annotations

import numpy as np
from manifold3d import CrossSection, Manifold

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import EditError
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.weld import weld


def from_manifold(solid: Manifold) -> Mesh:
    """A mesh from a manifold3d solid."""
    raw = solid.to_mesh64()
    return weld(Mesh(np.asarray(raw.vert_properties)[:, :3], np.asarray(raw.tri_verts).astype(np.int32)))


@heavy
def to_manifold(mesh: Mesh) -> Manifold:
    """A manifold3d solid from a sound mesh.

    Raises `EditError` where the mesh is open or its faces disagree.
    """
    from manifold3d import Error
    from manifold3d import Mesh64 as ManifoldMesh64

    solid = Manifold(ManifoldMesh64(mesh.vertices.copy(), mesh.faces.astype(np.uint64)))
    if solid.status() != Error.NoError:
        raise EditError("", "the mesh is open or its faces disagree", "mend it first")
    return solid


def box(size: tuple[float, float, float], *, corner: tuple[float, float, float] = (0, 0, 0)) -> Mesh:
    """A box of `size` with its lowest `corner` at the given place."""
    return from_manifold(Manifold.cube(size).translate(corner))


def ball(radius: float, *, subdivisions: int = 4) -> Mesh:
    """An icosahedron divided `subdivisions` times, vertices on the sphere: 20 · 4ⁿ faces."""
    golden = (1 + 5**0.5) / 2
    vertices = np.array(
        [
            [-1, golden, 0], [1, golden, 0], [-1, -golden, 0], [1, -golden, 0],
            [0, -1, golden], [0, 1, golden], [0, -1, -golden], [0, 1, -golden],
            [golden, 0, -1], [golden, 0, 1], [-golden, 0, -1], [-golden, 0, 1],
        ]
    )  # fmt: skip
    faces = np.array(
        [
            [0, 11, 5], [0, 5, 1], [0, 1, 7], [0, 7, 10], [0, 10, 11],
            [1, 5, 9], [5, 11, 4], [11, 10, 2], [10, 7, 6], [7, 1, 8],
            [3, 9, 4], [3, 4, 2], [3, 2, 6], [3, 6, 8], [3, 8, 9],
            [4, 9, 5], [2, 4, 11], [6, 2, 10], [8, 6, 7], [9, 8, 1],
        ]
    )  # fmt: skip
    vertices = vertices / np.linalg.norm(vertices, axis=1, keepdims=True)
    for _ in range(subdivisions):
        vertices, faces = _divided(vertices, faces)
    return Mesh(vertices * radius, faces)


def _divided(vertices: Floats, faces: Floats) -> tuple[Floats, Floats]:
    """Each face into four, the new vertices pushed out onto the unit sphere."""
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    unique, inverse = np.unique(edges, axis=0, return_inverse=True)
    middles = vertices[unique].mean(axis=1)
    middles /= np.linalg.norm(middles, axis=1, keepdims=True)
    ab, bc, ca = (inverse.reshape(3, -1) + len(vertices)).astype(faces.dtype)
    a, b, c = faces.T
    parts = [(a, ab, ca), (ab, b, bc), (ca, bc, c), (ab, bc, ca)]
    return np.concatenate([vertices, middles]), np.concatenate([np.stack(part, axis=1) for part in parts])


def cylinder(radius: float, height: float, *, top_radius: float | None = None, sides: int = 64) -> Mesh:
    """A cylinder or cone frustum standing on z = 0 (a cone on its tip when `radius` is 0)."""
    top = radius if top_radius is None else top_radius
    if radius == 0:
        turned = Manifold.cylinder(height, top, 0, sides).rotate((180, 0, 0)).translate((0, 0, height))
        return from_manifold(turned)
    return from_manifold(Manifold.cylinder(height, radius, top, sides))


def extrusion(outline: Floats, height: float) -> Mesh:
    """A closed (n, 2) `outline`, counter-clockwise, extruded upwards from z = 0."""
    return from_manifold(CrossSection([outline]).extrude(height))


def revolution(profile: Floats, *, sides: int = 96) -> Mesh:
    """A closed (n, 2) profile of (radius, height) turned about z."""
    return from_manifold(CrossSection([profile]).revolve(sides))


def wavy_torus(around: int = 660, across: int = 660, *, waves: float = 0.06) -> Mesh:
    """A torus (radii 40 and 16 mm) with a wavy skin: 2 · `around` · `across` faces, 871,200 by default.

    Made for measuring: every height has faces, and thousands of them hang.
    """
    u, v = np.meshgrid(np.arange(around) * 2 * np.pi / around, np.arange(across) * 2 * np.pi / across, indexing="ij")
    thick = 16 * (1 + waves * np.sin(9 * u) * np.sin(7 * v))
    ring = 40 + thick * np.cos(v)
    vertices = np.stack([ring * np.cos(u), ring * np.sin(u), thick * np.sin(v)], axis=-1).reshape(-1, 3)
    i, j = np.meshgrid(np.arange(around), np.arange(across), indexing="ij")
    a, b = i * across + j, (i + 1) % around * across + j
    c, d = (i + 1) % around * across + (j + 1) % across, i * across + (j + 1) % across
    faces = np.stack([np.stack([a, b, c], -1), np.stack([a, c, d], -1)], axis=2).reshape(-1, 3)
    return Mesh(vertices, faces.astype(np.int32))


__all__ = [
    "ball",
    "box",
    "cylinder",
    "extrusion",
    "from_manifold",
    "revolution",
    "to_manifold",
    "wavy_torus",
]


def wavy_plate(size: float = 60.0, cells: int = 120, thickness: float = 3.0) -> Mesh:
    """A square plate whose two sides wave alike, 4 cells² triangles and those round its rim; its corner at zero."""
    line = np.linspace(0, size, cells + 1)
    x, y = np.meshgrid(line, line, indexing="ij")
    z = 2.5 * np.sin(x / 11) * np.cos(y / 13)
    count = cells + 1
    low = np.column_stack([x.ravel(), y.ravel(), z.ravel()])
    numbers = np.arange(count * count).reshape(count, count)
    a, b, c, d = (part.ravel() for part in (numbers[:-1, :-1], numbers[1:, :-1], numbers[1:, 1:], numbers[:-1, 1:]))
    under = np.concatenate([np.column_stack([a, c, b]), np.column_stack([a, d, c])])
    rim = np.concatenate([numbers[:, 0], numbers[-1, 1:], numbers[-2::-1, -1], numbers[0, -2:0:-1]])
    following, up = np.roll(rim, -1), count * count
    sides = np.concatenate([
        np.column_stack([rim, following, following + up]), np.column_stack([rim, following + up, rim + up]),
    ])  # fmt: skip
    faces = np.concatenate([under, under[:, ::-1] + up, sides])
    return Mesh(np.concatenate([low, low + [0, 0, thickness]]), faces.astype(np.int32))
