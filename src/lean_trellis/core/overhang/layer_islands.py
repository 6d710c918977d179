"""Islands layer by layer: the slow and plain way, by which the sweep over vertices is checked.

Each layer is cut at its middle; a piece of a layer that meets no piece of the layer below is an island.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely

from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.cuts import pieces_of
from lean_trellis.core.mesh.directions import level_frame
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.progress import UNWATCHED, Watch


@dataclass(frozen=True)
class LayerIsland:
    """A piece of `layer` (from 0) with nothing below: the layer's middle height along its normal, area and middle."""

    layer: int
    height_mm: float
    area_mm2: float
    x_mm: float
    y_mm: float


@heavy
def islands_by_layer(
    placed: Mesh,
    layer_height: float,
    *,
    layer_normal: tuple[float, float, float] = (0.0, 0.0, 1.0),
    resting_mm: float = 0.02,
    watch: Watch = UNWATCHED,
) -> tuple[LayerIsland, ...]:
    """Every island of a closed mesh, lowest first. Raises `EditError` where the mesh bounds no solid.

    Layers are cut at (i + 1/2) · `layer_height` along `layer_normal` (unit); x and y are those of the plate. Pieces
    within a layer and `resting_mm` above the plate rest on it and are none.
    """
    up = np.array(layer_normal)
    frame = level_frame(layer_normal)
    solid = to_manifold(Mesh(placed.vertices @ frame, placed.faces))
    along = placed.vertices @ up
    first = int(np.floor(along.min() / layer_height - 0.5))
    islands: list[LayerIsland] = []
    below: shapely.Geometry = shapely.GeometryCollection()
    last = int(np.ceil(along.max() / layer_height - 0.5))
    for layer in range(first, last):
        watch.at((layer - first) / max(1, last - first), f"cutting layer {layer}")
        height = (layer + 0.5) * layer_height
        pieces = pieces_of(solid.slice(height).to_polygons())
        for piece in pieces:
            if piece.intersects(below):
                continue
            x, y, z = (frame @ [*piece.representative_point().coords[0], height]).tolist()
            if z > resting_mm + layer_height / max(up[2], 1e-6):
                islands.append(LayerIsland(layer, height, piece.area, x, y))
        below = shapely.union_all(pieces)
    return tuple(islands)
