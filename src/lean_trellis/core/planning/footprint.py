"""Footprints as rasters: which cells of the plate a part covers, seen from above."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import ndimage

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.mesh.mesh import Mesh

_MOST_POINTS = 1_000_000


@dataclass(frozen=True, eq=False)
class Footprint:
    """`cells` [x, y] covered; `corner` (2,) the place of the first cell's corner against the part's middle, mm."""

    cells: Bools
    corner: tuple[float, float]
    cell_mm: float

    @property
    def area(self) -> float:
        """Covered area, mm²."""
        return float(self.cells.sum()) * self.cell_mm**2


def covered_places(mesh: Mesh, spacing: float) -> Floats:
    """(n, 2) places under the mesh, seen from above, on a grid of `spacing`: none is missed by more than a cell."""
    corners = mesh.corners[:, :, :2]
    found = [np.unique(np.round(mesh.vertices[:, :2] / spacing).astype(np.int32), axis=0)]
    edges = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1, initial=0.0)
    steps = np.maximum(1, np.ceil(edges / spacing)).astype(np.int64)
    low = found[0].min(axis=0)
    cells = np.zeros(tuple((found[0].max(axis=0) - low + 1).tolist()), bool)
    cells[found[0][:, 0] - low[0], found[0][:, 1] - low[1]] = True
    for step in np.unique(steps[steps > 1]):
        i, j = np.meshgrid(np.arange(step + 1), np.arange(step + 1), indexing="ij")
        inside = i + j <= step
        weights = np.stack([i[inside], j[inside], step - i[inside] - j[inside]], axis=1) / step
        chosen = corners[steps == step]
        block = max(1, _MOST_POINTS // len(weights))
        for k in range(0, len(chosen), block):
            points = np.einsum("wc,fcd->fwd", weights, chosen[k : k + block]).reshape(-1, 2)
            places = np.round(points / spacing).astype(np.int64) - low
            cells[places[:, 0], places[:, 1]] = True
    result: Floats = (np.argwhere(cells) + low) * spacing
    return result


def footprint_of(points: Floats, middle: Floats, degrees: float, cell_mm: float, margin_mm: float) -> Footprint:
    """The cells that (n, 2) points cover, turned by `degrees` about the (2,) `middle`, widened by `margin_mm`."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turned = (points - middle) @ np.array([[c, s], [-s, c]])
    reach = int(np.ceil(margin_mm / cell_mm)) + 1
    low = np.floor(turned.min(axis=0) / cell_mm).astype(np.int64) - reach
    places = np.floor(turned / cell_mm).astype(np.int64) - low
    shape = tuple((places.max(axis=0) + reach + 1).tolist())
    cells = np.zeros(shape, bool)
    cells[places[:, 0], places[:, 1]] = True
    cells = ndimage.binary_closing(cells, iterations=1)
    if margin_mm > 0:
        distance = ndimage.distance_transform_edt(~cells)
        cells = distance * cell_mm <= margin_mm
    return Footprint(cells, (float(low[0]) * cell_mm, float(low[1]) * cell_mm), cell_mm)
