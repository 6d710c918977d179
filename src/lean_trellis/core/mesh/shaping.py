"""Work on a part's shape before it is built: hollow it, drill drains and vents, add machining allowance and cut-off.

All of it on sound meshes in the part's own coordinates, by solid booleans (manifold3d).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from manifold3d import Manifold
from skimage import measure

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.errors import EditError
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.cells import inside_cells
from lean_trellis.core.mesh.directions import any_across
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import from_manifold, to_manifold
from lean_trellis.core.mesh.weld import weld
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch

_MOST_CELLS_ACROSS = 150
_CELLS_IN_WALL = 3.0
_PAD = 2
_PLUG_TAPER = 0.96
_PLUG_GAP_MM = 0.1


@heavy
def hollowed(mesh: Mesh, wall_mm: float, watch: Watch = UNWATCHED) -> Mesh:
    """The mesh with a cavity whose wall is `wall_mm` thick everywhere.

    The cavity is where the distance from the surface is more than the wall: measured on a grid of a third of the
    wall (coarser for large parts) and cut out by marching cubes (Lorensen and Cline 1987). Raises `EditError` where
    the part is too thin for a cavity or no closed solid.
    """
    if not wall_mm > 0:
        raise EditError("wall", f"{wall_mm:g} mm is no thickness", "give more than 0")
    solid = to_manifold(mesh)
    low, high = mesh.bounds
    cell = max(wall_mm / _CELLS_IN_WALL, float((high - low).max()) / _MOST_CELLS_ACROSS)
    shape = np.ceil((high - low) / cell).astype(int) + 2 * _PAD
    origin = low - (_PAD - 0.5) * cell
    inside = inside_cells(solid, origin, cell, tuple(shape.tolist()), Stretch(watch, 0.05, 0.5))
    watch.at(0.5, "measuring how deep each place lies")
    cells = np.argwhere(inside)
    surface = _samples(mesh, cell / 2)
    depth = np.full(shape, -cell)
    # How deep matters only near the wall: from far inside, nearly all of the surface would have to be looked at.
    most = wall_mm + 3 * cell
    distances = place_tree(surface).query(origin + cells * cell, distance_upper_bound=most, workers=-1)[0]
    depth[inside] = np.minimum(distances, most)
    if depth.max() <= wall_mm + 0.5 * cell:
        raise EditError("hollow", f"nowhere is it thicker than twice {wall_mm:g} mm", "give a thinner wall")
    watch.at(0.8, "cutting the cavity")
    vertices, faces, _, _ = measure.marching_cubes(depth, wall_mm)
    cavity = weld(Mesh(origin + vertices * cell, faces.astype(np.int32)))
    if cavity.volume < 0:
        cavity = Mesh(cavity.vertices, cavity.faces[:, ::-1])
    return from_manifold(solid - to_manifold(cavity))


def _samples(mesh: Mesh, spacing: float) -> Floats:
    """Points spread over the surface, about `spacing` apart, by halving triangles that are too long."""
    corners = mesh.corners
    samples = [mesh.vertices]
    for _ in range(24):
        edges = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2)
        longest = edges.argmax(axis=1)
        long = edges.max(axis=1, initial=0.0) > spacing
        corners, longest = corners[long], longest[long]
        if not len(corners):
            break
        rows = np.arange(len(corners))
        a, b, c = (corners[rows, (longest + k) % 3] for k in range(3))
        middle = (a + b) / 2
        samples.append(middle)
        corners = np.concatenate([np.stack([a, middle, c], axis=1), np.stack([middle, b, c], axis=1)])
    return np.concatenate(samples)


@dataclass(frozen=True, eq=False)
class Drilled:
    """The mesh with a hole, and the plug that closes it again, in the mesh's own coordinates."""

    mesh: Mesh
    plug: Mesh


@heavy
def drilled(mesh: Mesh, place: Floats, inwards: Floats, diameter: float, depth: float) -> Drilled:
    """A round hole from a place on the surface inwards: a drain, or a vent.

    `place` and the unit `inwards` are (3,), mesh coordinates. The plug is as long, tapers a little inwards and is two
    tenths of a millimetre narrower than the hole. Raises `EditError` where nothing is hit.
    """
    for name, value in (("diameter", diameter), ("depth", depth)):
        if not value > 0:
            raise EditError(name, f"{value:g} mm is no {name}", "give more than 0")
    bore = _rod(place - inwards * 0.5, inwards, diameter / 2, diameter / 2, depth + 0.5)
    solid = to_manifold(mesh)
    opened = solid - bore
    if abs(opened.volume() - solid.volume()) < 1e-9:
        raise EditError("hole", "meets nothing there", "click another place")
    radius = max(diameter / 2 - _PLUG_GAP_MM, 0.1)
    return Drilled(from_manifold(opened), from_manifold(_rod(place, inwards, radius, _PLUG_TAPER * radius, depth)))


def _rod(start: Floats, along: Floats, radius: float, end_radius: float, length: float) -> Manifold:
    across = any_across(along)
    frame = np.column_stack([across, np.cross(along, across), along, start])
    return Manifold.cylinder(length, radius, end_radius, 48).transform(frame)


@heavy
def with_allowance(mesh: Mesh, faces: Longs, amount: float) -> Mesh:
    """Material `amount` mm thick on some faces, for a machine to take off again; its sides are square to them.

    Corners go out along the mean normal of the faces that meet there, so that a plane stays a plane.
    """
    if not amount > 0:
        raise EditError("allowance", f"{amount:g} mm is no allowance", "give more than 0")
    used, corners = np.unique(mesh.faces[faces], return_inverse=True)
    corners = corners.reshape(-1, 3)
    outwards = _corner_steps(corners, mesh.normals[faces], len(used))
    below = mesh.vertices[used] - 1e-3 * outwards
    above = mesh.vertices[used] + amount * outwards
    count = len(used)
    edges = np.stack([corners, np.roll(corners, -1, axis=1)], axis=-1).reshape(-1, 2)
    rim = edges[~np.isin(edges[:, 0] * count + edges[:, 1], edges[:, 1] * count + edges[:, 0])]
    sides = [
        np.column_stack([rim[:, 0], rim[:, 1], rim[:, 1] + count]),
        np.column_stack([rim[:, 0], rim[:, 1] + count, rim[:, 0] + count]),
    ]
    cover = np.concatenate([corners + count, corners[:, ::-1], *sides]).astype(np.int32)
    slab = to_manifold(weld(Mesh(np.concatenate([below, above]), cover)))
    return from_manifold(to_manifold(mesh) + slab)


def _corner_steps(corners: Longs, normals: Floats, count: int) -> Floats:
    """(count, 3): how each corner moves so that every plane at it moves out by one: least squares over its planes."""
    at_corners = np.column_stack([corners.reshape(-1), np.round(np.repeat(normals, 3, axis=0), 4)])
    planes = np.unique(at_corners, axis=0)
    at, n = planes[:, 0].astype(np.int64), planes[:, 1:]
    matrix, right = np.zeros((count, 3, 3)), np.zeros((count, 3))
    np.add.at(matrix, at, n[:, :, None] * n[:, None, :])
    np.add.at(right, at, n)
    steps = np.einsum("nij,nj->ni", np.linalg.pinv(matrix, rcond=1e-3, hermitian=True), right)
    lengths = np.linalg.norm(steps, axis=1, keepdims=True)
    if not (lengths > 0.2).all():
        raise EditError("allowance", "the selected faces face each other", "select one side")
    result: Floats = steps * np.minimum(1.0, 3.0 / lengths)
    return result


@heavy
def with_cut_off(mesh: Mesh, down: Floats, height: float, layer_height: float) -> Mesh:
    """Material below the lowest faces, `height` mm high, for the saw: the outline of the first layer goes on down.

    `down` (3,) is the direction of the plate in the mesh's coordinates.
    """
    if not height > 0:
        raise EditError("cut-off", f"{height:g} mm is no height", "give more than 0")
    up = -np.asarray(down, np.float64)
    across = any_across(up)
    frame = np.stack([across, np.cross(up, across), up])  # rows: the plate's axes in mesh coordinates
    standing = to_manifold(mesh.moved(frame, np.zeros(3)))
    low = standing.bounding_box()[2]
    outline = standing.slice(low + 0.5 * layer_height)
    foot = outline.extrude(height + layer_height).translate((0.0, 0.0, low - height))
    return from_manifold((standing + foot).transform(np.column_stack([frame.T, np.zeros(3)])))
