"""Hatch lines on a surface: where a family of parallel planes cuts some of its faces."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, counted_out
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh

_MOST_LINES = 60_000
_ODD_STEP = 1e-5


@heavy
def hatch_lines(mesh: Mesh, faces: Longs, apart_mm: float, direction: Floats) -> Floats:
    """(n, 2, 3): the segments in which planes across `direction` (3,), `apart_mm` apart, cut the given faces.

    So many planes at most that no more than 60,000 segments come out: of large areas the lines lie further apart.
    """
    if not len(faces):
        return np.zeros((0, 2, 3))
    heights = mesh.vertices @ (direction / np.linalg.norm(direction))
    corners = heights[mesh.faces[faces]]
    low, high = corners.min(axis=1), corners.max(axis=1)
    apart = max(apart_mm, float((high - low).sum()) / _MOST_LINES)
    offset = _ODD_STEP * apart  # no plane runs through the corners of a mesh of round numbers
    first = np.ceil((low - offset) / apart).astype(np.int64)
    counts = np.maximum(np.floor((high - offset) / apart).astype(np.int64) - first + 1, 0)
    which, within = counted_out(counts)
    if not len(which):
        return np.zeros((0, 2, 3))
    level = (first[which] + within) * apart + offset
    here = corners[which]
    above = here > level[:, None]
    lone_above = above.sum(axis=1) == 1
    lone = np.where(lone_above, above.argmax(axis=1), (~above).argmax(axis=1))
    rows = np.arange(len(which))
    tip = mesh.faces[faces[which], lone]
    ends = []
    for step in (1, 2):
        other = mesh.faces[faces[which], (lone + step) % 3]
        span = heights[other] - heights[tip]
        share = (level - heights[tip]) / np.where(span == 0, 1, span)
        ends.append(mesh.vertices[tip] + share[:, None] * (mesh.vertices[other] - mesh.vertices[tip]))
    kept = above.any(axis=1) & ~above.all(axis=1) & (rows >= 0)
    return np.stack(ends, axis=1)[kept]
