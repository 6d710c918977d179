"""Places spread over faces."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import Mesh

_ON_BORDER = 1e-6


@heavy
def places_on(mesh: Mesh, faces: Longs, apart_mm: float, *, most_across: int = 16) -> tuple[Floats, Longs]:
    """(n, 3) places on `faces`, and (n,) the face of each.

    Each face is parted evenly so that they lie about `apart_mm` apart, into no more than `most_across`² pieces; a small
    one has its middle alone.
    """
    corners = mesh.vertices[mesh.faces[faces]]
    longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1)
    parts = np.clip(np.ceil(longest / max(apart_mm, 1e-9)), 1, most_across).astype(int)
    places, which = [], []
    for n in np.unique(parts).tolist():
        i, j = np.meshgrid(np.arange(n), np.arange(n), indexing="ij")
        kept = i + j < n
        u, v = (i[kept] + 1 / 3) / n, (j[kept] + 1 / 3) / n
        weights = np.column_stack([u, v, 1 - u - v])
        places.append(np.einsum("kc,fcx->fkx", weights, corners[parts == n]).reshape(-1, 3))
        which.append(np.repeat(faces[parts == n], len(weights)))
    if not places:
        return np.zeros((0, 3)), np.zeros(0, np.int64)
    return np.concatenate(places), np.concatenate(which)


def spread_by_area(mesh: Mesh, count: int) -> tuple[Floats, Longs]:
    """(n, 3) places spread over a mesh by area, always the same ones, and the face (n,) of each."""
    total = mesh.areas.cumsum()
    faces = np.searchsorted(total, (np.arange(count) + 0.5) / count * total[-1])
    chance = np.random.default_rng(1)
    u, v = chance.random(count), chance.random(count)
    over = u + v > 1
    u[over], v[over] = 1 - u[over], 1 - v[over]
    a, b, c = (mesh.vertices[mesh.faces[faces, corner]] for corner in range(3))
    return a + u[:, None] * (b - a) + v[:, None] * (c - a), faces


def spaced_along(places: Floats, spacing: float) -> Floats:
    """(k, 3): places along a line through (n, 3) others, both ends among them, no farther apart than the spacing."""
    way = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(places, axis=0), axis=1))])
    count = max(1, int(np.ceil(way[-1] / spacing - 1e-9)))
    wanted = np.linspace(0, way[-1], count + 1)
    return np.column_stack([np.interp(wanted, way, places[:, axis]) for axis in range(3)])


def gathered(places: Floats, weights: Floats, cell_mm: float, pieces: Longs | None = None) -> tuple[Floats, Floats]:
    """(k, 3) and (k,): places (n, 3) that lie in one cell as one at their middle, their `weights` (n,) summed.

    Each of `pieces` (n,) has cells of its own, evenly laid over it and no longer than `cell_mm`.
    """
    of = np.zeros(len(places), np.int64) if pieces is None else pieces
    lows, highs = np.full((of.max() + 1, 3), np.inf), np.full((of.max() + 1, 3), -np.inf)
    np.minimum.at(lows, of, places)
    np.maximum.at(highs, of, places)
    counts = np.maximum(np.ceil((highs - lows) / cell_mm - 1e-9), 1)
    counts[~np.isfinite(counts)] = 1
    size = np.maximum((highs - lows) / counts, 1e-12)
    # What lies on the border of two cells is in the upper one, however it is rounded.
    cells = np.minimum((places - lows[of]) / size[of] + _ON_BORDER, counts[of] - 1).astype(np.int64)
    _, across, along = counts.max(axis=0).astype(np.int64)
    first = np.cumsum(counts[:, 0]).astype(np.int64) - counts[:, 0].astype(np.int64)
    _, number = np.unique(((first[of] + cells[:, 0]) * across + cells[:, 1]) * along + cells[:, 2], return_inverse=True)
    sums = np.bincount(number, weights)
    middles = [np.bincount(number, weights * at) / np.maximum(sums, 1e-12) for at in places.T]
    return np.column_stack(middles).astype(np.float64), sums.astype(np.float64)
