"""A solid as cells of a grid: which of their middles lie inside."""

from __future__ import annotations

import numpy as np
from manifold3d import Manifold
from skimage import draw

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.progress import UNWATCHED, Watch


def inside_cells(
    solid: Manifold, origin: Floats, cell: float, shape: tuple[int, int, int], watch: Watch = UNWATCHED
) -> Bools:
    """`shape`: which cells' middles lie inside the solid, slice by slice.

    The first cell's middle is at `origin` (3,), cells are `cell` mm wide and high.
    """
    inside = np.zeros(shape, bool)
    for level in range(shape[2]):
        if level % 16 == 0:
            watch.at(level / shape[2], "slicing the part")
        for outline in solid.slice(float(origin[2] + level * cell)).to_polygons():
            places = (np.asarray(outline) - origin[:2]) / cell
            rows, columns = draw.polygon(places[:, 0], places[:, 1], shape[:2])
            inside[rows, columns, level] ^= True
    return inside
