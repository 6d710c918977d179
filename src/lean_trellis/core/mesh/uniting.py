"""Many solids made one: quick also where they are thousands."""

from __future__ import annotations

import numpy as np
from shapely import STRtree, box

from lean_trellis.core.arrays import Floats, Longs, crossed
from lean_trellis.core.errors import EditError
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.mesh.primitives import from_manifold, to_manifold
from lean_trellis.core.progress import UNWATCHED, Watch


@heavy
def united(meshes: list[Mesh], watch: Watch = UNWATCHED) -> Mesh:
    """All solids as one without inner walls, so that overlaps count once.

    Where a mesh is not sound nothing can be united: all are then put side by side. Can be cancelled between two solids.
    """
    whole = join(meshes)
    if not len(whole.faces):
        return whole
    try:
        solids = [to_manifold(layer) for layer in set_apart(whole)]
    except EditError:
        return whole
    count = len(solids)
    while len(solids) > 1:  # the smallest two first, as the library itself does
        watch.at(1 - len(solids) / count, "uniting")
        solids.sort(key=lambda solid: -int(solid.num_tri()))
        solids.append(solids.pop() + solids.pop())
    return from_manifold(solids[0])


@heavy
def set_apart(mesh: Mesh) -> list[Mesh]:
    """The shells of a mesh in as few meshes as may be, each of shells whose boxes do not meet.

    Uniting few large solids takes a fraction of the time that uniting many small ones does. A hollow goes with the
    shell round it.
    """
    count = len(mesh.vertices)
    ends = np.concatenate([mesh.faces[:, :2], mesh.faces[:, 1:]])
    labels = components_of(count, ends[:, 0], ends[:, 1])
    shells = int(labels.max(initial=-1)) + 1
    of_face = labels[mesh.faces[:, 0]]
    boxes = _boxes(mesh.vertices, labels, shells)
    groups = _groups(boxes)
    volumes: Floats = np.bincount(of_face, weights=_spans(mesh), minlength=shells).astype(np.float64)
    _take_hollows_along(groups, volumes, boxes)
    layers = []
    for number in range(int(groups.max()) + 1):
        faces = mesh.faces[groups[of_face] == number]
        used, corners = np.unique(faces, return_inverse=True)
        layers.append(Mesh(mesh.vertices[used], corners.reshape(-1, 3).astype(np.int32)))
    return [layer for layer in layers if len(layer.faces)]


def _spans(mesh: Mesh) -> Floats:
    """(m,): signed volume between each face and the origin."""
    corners = mesh.corners
    result: Floats = np.einsum("ij,ij->i", corners[:, 0], crossed(corners[:, 1], corners[:, 2])) / 6
    return result


def _boxes(vertices: Floats, labels: Longs, count: int) -> Floats:
    """(s, 6): lowest and highest corner of each shell."""
    boxes = np.concatenate([np.full((count, 3), np.inf), np.full((count, 3), -np.inf)], axis=1)
    np.minimum.at(boxes[:, :3], labels, vertices)
    np.maximum.at(boxes[:, 3:], labels, vertices)
    return boxes


def _groups(boxes: Floats) -> Longs:
    """(s,): a group for each shell such that no two of one group have boxes that meet; first come, lowest number."""
    tree = STRtree(box(boxes[:, 0], boxes[:, 1], boxes[:, 3], boxes[:, 4]))
    one, other = tree.query(tree.geometries)
    meets = (one < other) & (boxes[one, 2] <= boxes[other, 5]) & (boxes[other, 2] <= boxes[one, 5])
    before: list[list[int]] = [[] for _ in boxes]
    for first, second in zip(one[meets].tolist(), other[meets].tolist(), strict=True):
        before[second].append(first)
    groups: list[int] = []
    for mine in before:
        taken = {groups[number] for number in mine}
        groups.append(next(number for number in range(len(taken) + 1) if number not in taken))
    return np.array(groups, np.int64)


def _take_hollows_along(groups: Longs, volumes: Floats, boxes: Floats) -> None:
    """A shell that looks inward is no solid: it goes with the smallest outward one whose box holds it."""
    outward = np.flatnonzero(volumes > 0)
    for hollow in np.flatnonzero(volumes < 0).tolist():
        holds = (boxes[outward, :3] <= boxes[hollow, :3]).all(axis=1) & (boxes[outward, 3:] >= boxes[hollow, 3:]).all(
            axis=1
        )
        if holds.any():
            groups[hollow] = groups[outward[holds][volumes[outward[holds]].argmin()]]
