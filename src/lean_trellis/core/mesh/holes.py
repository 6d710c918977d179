"""Closing holes: boundary edges chained into loops, loops of one plane filled together, others on their own."""

from __future__ import annotations

import numpy as np
from manifold3d import triangulate

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.mesh.directions import any_across
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology, build_topology

_FLAT_SHARE = 1e-3
_SAME_NORMAL = 0.9999


def close_holes(mesh: Mesh) -> Mesh:
    """The mesh with every closed loop of open edges filled; what does not close to a loop stays open.

    Flat loops are triangulated in their plane, those of one plane together, so that a ring stays a ring. Others
    get a vertex in their middle.
    """
    loops = boundary_loops(build_topology(mesh))
    if not loops:
        return mesh
    vertices, added, faces = mesh.vertices, list[Floats](), [mesh.faces.astype(np.int64)]
    flat: list[tuple[Longs, Floats, Floats]] = []
    for loop in loops:
        middle, normal, worst = _plane_of(vertices[loop])
        size = float(np.linalg.norm(np.ptp(vertices[loop], axis=0)))
        if len(loop) == 3:
            faces.append(loop[None])
        elif worst <= _FLAT_SHARE * size:
            flat.append((loop, middle, normal))
        else:
            faces.append(_fan(loop, len(vertices) + len(added)))
            added.append(middle)
    for group in _by_plane(flat):
        filled = _filled(vertices, [loop for loop, _, _ in group], group[0][2])
        if filled is not None:
            faces.append(filled)
            continue
        for loop, middle, _ in group:
            faces.append(_fan(loop, len(vertices) + len(added)))
            added.append(middle)
    corners = np.concatenate([vertices, np.array(added).reshape(-1, 3)])
    return Mesh(corners, np.concatenate(faces).astype(np.int32))


def boundary_loops(topology: Topology) -> list[Longs]:
    """Closed chains of open edges as vertex numbers, running so that a face along them agrees with its neighbours."""
    corners = topology.corner_order[topology.starts[topology.open_edges]]
    faces = topology.mesh.faces
    begins = faces[corners // 3, corners % 3]
    ends = faces[corners // 3, (corners + 1) % 3]
    onward: dict[int, list[int]] = {}
    for begin, end in zip(ends.tolist(), begins.tolist(), strict=True):  # the hole runs against the faces
        onward.setdefault(begin, []).append(end)
    loops = []
    for start in list(onward):
        while onward.get(start):
            loop, seen = [start], {start: 0}
            here = onward[start].pop()
            while here != start and onward.get(here):
                if here in seen:  # a loop within the chain is a hole of its own
                    loops.append(np.array(loop[seen[here] :], np.int64))
                    for gone in loop[seen[here] + 1 :]:
                        seen.pop(gone, None)
                    del loop[seen[here] + 1 :]
                else:
                    seen[here] = len(loop)
                    loop.append(here)
                here = onward[here].pop()
            if here == start and len(loop) > 2:
                loops.append(np.array(loop, np.int64))
    return [loop for loop in loops if len(loop) > 2]


def _plane_of(points: Floats) -> tuple[Floats, Floats, float]:
    """Middle, normal (by Newell's sum, as the loop runs) and greatest distance from the plane."""
    middle = points.mean(axis=0)
    offsets = points - middle
    normal = np.cross(offsets, np.roll(offsets, -1, axis=0)).sum(axis=0)
    length = float(np.linalg.norm(normal))
    if length == 0:
        return middle, np.array([0.0, 0.0, 1.0]), np.inf
    normal = normal / length
    return middle, normal, float(np.abs(offsets @ normal).max())


def _by_plane(flat: list[tuple[Longs, Floats, Floats]]) -> list[list[tuple[Longs, Floats, Floats]]]:
    groups: list[list[tuple[Longs, Floats, Floats]]] = []
    for entry in flat:
        _, middle, normal = entry
        for group in groups:
            _, other, axis = group[0]
            reach = 1e-4 * (1 + float(np.linalg.norm(middle - other)))
            if abs(normal @ axis) > _SAME_NORMAL and abs((middle - other) @ axis) < reach:
                group.append(entry)
                break
        else:
            groups.append([entry])
    return groups


def _filled(vertices: Floats, loops: list[Longs], normal: Floats) -> Longs | None:
    """Triangles between loops of one plane; None where the outline crosses itself or an area comes out wrong."""
    across = any_across(normal)
    frame = np.stack([across, np.cross(normal, across)], axis=1)
    outlines = [vertices[loop] @ frame for loop in loops]
    if sum(_area(outline) for outline in outlines) < 0:
        outlines = [outline * [1, -1] for outline in outlines]
    numbers = np.concatenate(loops)
    triangles = np.asarray(triangulate(outlines, 0.0, True), np.int64).reshape(-1, 3)
    places = np.concatenate(outlines)
    a, b, c = (places[triangles[:, i]] for i in range(3))
    u, v = b - a, c - a
    areas = (u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]) / 2
    wanted = sum(_area(outline) for outline in outlines)
    if (
        not len(triangles)
        or abs(float(areas.sum()) - wanted) > 1e-6 * abs(wanted)
        or float(areas.min()) < -1e-9 * wanted
    ):
        return None
    turned = triangles if _runs_with(numbers[triangles], loops) else triangles[:, ::-1]
    return numbers[turned]


def _runs_with(faces: Longs, loops: list[Longs]) -> bool:
    """Whether the triangles run along the loops in the loops' own sense."""
    begin, end = int(loops[0][0]), int(loops[0][1])
    edges = np.stack([faces, np.roll(faces, -1, axis=1)], axis=-1).reshape(-1, 2)
    return bool(((edges[:, 0] == begin) & (edges[:, 1] == end)).any())


def _area(outline: Floats) -> float:
    x, y = outline.T
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2


def _fan(loop: Longs, centre: int) -> Longs:
    return np.column_stack([loop, np.roll(loop, -1), np.full(len(loop), centre)])
