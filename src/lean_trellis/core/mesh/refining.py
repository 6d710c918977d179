"""Finer faces where a brush paints: the surface stays what it is, its triangles are halved until they are small."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.sampling import places_on
from lean_trellis.core.nearest import PlaceTree, place_tree

_MOST_ROUNDS = 60
_MOST_FACES = 3_000_000


@dataclass(frozen=True, eq=False)
class Refined:
    """The finer mesh, and for each of its faces (m,) the face of the old one that it is part of."""

    mesh: Mesh
    parent: Longs


@heavy
def refined_near(mesh: Mesh, places: Floats, radius: float, longest_mm: float) -> Refined:
    """Halve the longest edges of all faces that come within `radius` mm of `places` (k, 3) down to `longest_mm`.

    An edge is halved in both its faces at once, so the mesh stays closed. In each round every face loses one edge at
    most: its longest, and only where the neighbour's turn has not come.
    """
    vertices, faces = mesh.vertices, mesh.faces.astype(np.int64)
    parent = np.arange(len(faces))
    tree = place_tree(places)
    for _ in range(_MOST_ROUNDS):
        edges = _longest_edges(vertices, faces)
        wanted = edges.length > longest_mm
        wanted[wanted] = _comes_near(Mesh(vertices, faces.astype(np.int32)), np.flatnonzero(wanted), tree, radius)
        if not wanted.any() or len(faces) > _MOST_FACES:
            break
        vertices, faces, parent = _halved(vertices, faces, parent, edges.ends[wanted])
    if len(faces) == len(mesh.faces):
        return Refined(mesh, parent)
    return Refined(Mesh(vertices, faces.astype(np.int32)), parent)


@dataclass(frozen=True, eq=False)
class _Edges:
    """Each face's longest edge: (m, 2) vertices, lower number first, and (m,) length."""

    ends: Longs
    length: Floats


def _longest_edges(vertices: Floats, faces: Longs) -> _Edges:
    steps = np.linalg.norm(vertices[faces] - vertices[np.roll(faces, -1, axis=1)], axis=2)
    corner = steps.argmax(axis=1)
    rows = np.arange(len(faces))
    ends = np.sort(np.column_stack([faces[rows, corner], faces[rows, (corner + 1) % 3]]), axis=1)
    return _Edges(ends, steps[rows, corner])


def _comes_near(mesh: Mesh, faces: Longs, tree: PlaceTree, radius: float) -> Bools:
    """Whether each of some faces has a place within the radius: looked at a third of the radius apart."""
    near = np.zeros(len(faces), bool)
    low, high = tree.mins - radius, tree.maxes + radius
    boxed = ((mesh.face_highs[faces] >= low) & (mesh.face_lows[faces] <= high)).all(axis=1)
    places, which = places_on(mesh, faces[boxed], radius / 3, most_across=200)
    if len(places):
        hit = np.isfinite(tree.query(places, distance_upper_bound=radius)[0])
        near[boxed] = np.isin(faces[boxed], which[hit])
    return near


def _halved(vertices: Floats, faces: Longs, parent: Longs, wanted: Longs) -> tuple[Floats, Longs, Longs]:
    """Halve some of the wanted edges (k, 2): those that are alone in each of their faces, the longest first."""
    count = len(vertices)
    keys = np.unique(wanted[:, 0] * count + wanted[:, 1])
    ends = np.column_stack([keys // count, keys % count])
    length = np.linalg.norm(vertices[ends[:, 0]] - vertices[ends[:, 1]], axis=1)
    rank = np.empty(len(keys), np.int64)
    rank[np.argsort(-length, kind="stable")] = np.arange(len(keys))
    following = np.roll(faces, -1, axis=1)
    of_face = np.minimum(faces, following) * count + np.maximum(faces, following)
    place = np.searchsorted(keys, of_face).clip(max=len(keys) - 1)
    is_wanted = keys[place] == of_face
    ranks = np.where(is_wanted, rank[place], len(keys))
    first = ranks.min(axis=1)
    # An edge is halved when it is the longest wanted one of every face at it.
    lost = np.unique(place[is_wanted & (ranks > first[:, None])])
    taken = np.ones(len(keys), bool)
    taken[lost] = False
    new = np.full(len(keys), -1, np.int64)
    new[taken] = count + np.arange(int(taken.sum()))
    rows, corners = np.nonzero(is_wanted & taken[place])
    middle = new[place[rows, corners]]
    begin, end, third = (faces[rows, (corners + step) % 3] for step in range(3))
    halves = faces.copy()
    halves[rows] = np.column_stack([begin, middle, third])
    added = np.column_stack([middle, end, third])
    middles = (vertices[ends[taken, 0]] + vertices[ends[taken, 1]]) / 2
    return np.concatenate([vertices, middles]), np.concatenate([halves, added]), np.concatenate([parent, parent[rows]])
