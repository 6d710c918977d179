"""Merging of vertices that lie at exactly the same place."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import AnyArray, Bools, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh

_MIX = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9], dtype=np.uint64)


def weld(mesh: Mesh) -> Mesh:
    """The same mesh with vertices of identical coordinates merged and unused ones dropped.

    The order of first appearance is kept: neighbours in the file stay neighbours in memory.
    -0.0 and 0.0 are the same place.
    """
    return _merged(mesh.vertices, mesh.faces.reshape(-1))


@heavy
def weld_corners(points: AnyArray) -> Mesh:
    """A mesh from (m, 3, 3) corner points (float32 or float64), as a triangle soup gives them."""
    flat = np.ascontiguousarray(points).reshape(-1, 3)
    return _merged(flat, None)


def _merged(points: AnyArray, corners: AnyArray | None) -> Mesh:
    if not len(points):
        return Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))
    same_as = _first_at_place(points)
    corner_points = same_as if corners is None else same_as[corners]
    used = np.zeros(len(points), bool)
    used[corner_points] = True
    numbers = np.cumsum(used, dtype=np.int32) - np.int32(1)
    vertices = points[used].astype(np.float64) + 0.0
    return Mesh(vertices, numbers[corner_points].reshape(-1, 3))


def _first_at_place(points: AnyArray) -> Longs:
    """(n,): for each point, the first point with the same coordinates."""
    clean = points + points.dtype.type(0)  # turns -0.0 into 0.0
    first = _first_of_equal(*_by_hash(clean))
    # Checked in the order of memory: it costs a fifth of looking where the sort left things.
    if not np.array_equal(clean.take(first, axis=0), clean):
        order = np.lexsort(clean.T)
        ordered = clean[order]
        first = _first_of_equal(order, np.append(False, (ordered[1:] == ordered[:-1]).all(axis=1)))
    return first


def _first_of_equal(order: Longs, is_as_before: Bools) -> Longs:
    starts = np.flatnonzero(~is_as_before)
    first = np.empty(len(order), np.int64)
    first[order] = np.repeat(order[starts], np.diff(np.append(starts, len(order))))
    return first


def _by_hash(points: AnyArray) -> tuple[Longs, Bools]:
    """Sort points by a hash that carries the index in its low bits: one sort of plain integers.

    Gives the order and, for each, whether its hash equals that of the one before. Equal places have
    equal hashes; the caller looks whether other places have as well.
    """
    words = points.view(np.uint32 if points.dtype.itemsize == 4 else np.uint64).reshape(len(points), 3)
    index_bits = np.uint64(max(1, int(len(points) - 1).bit_length()))
    mixed = np.zeros(len(points), np.uint64)
    for axis in range(3):
        mixed = (mixed ^ words[:, axis].astype(np.uint64)) * _MIX[axis]
        mixed ^= mixed >> np.uint64(29)
    packed = (mixed << index_bits) | np.arange(len(points), dtype=np.uint64)
    packed.sort()
    order = (packed & np.uint64((1 << int(index_bits)) - 1)).astype(np.int64)
    hashes = packed >> index_bits
    return order, np.append(False, hashes[1:] == hashes[:-1])
