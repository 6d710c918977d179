"""Footprints as rasters: which cells of the plate a part covers, seen from above."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.mesh.mesh import Mesh

_MOST_POINTS = 1_000_000
_FILLED_FROM = 12


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
    """(n, 2) places under the mesh, seen from above, on a grid of `spacing`: none is missed by more than a cell.

    Small faces are covered by points spread over them, large ones are filled as polygons.
    """
    from skimage import draw  # not before it is needed: a window starts without it

    vertices = np.round(mesh.vertices[:, :2] / spacing).astype(np.int64)
    low = vertices.min(axis=0) - 1
    cells = np.zeros(tuple((vertices.max(axis=0) - low + 2).tolist()), bool)
    cells[vertices[:, 0] - low[0], vertices[:, 1] - low[1]] = True
    corners = mesh.corners[:, :, :2] / spacing - low
    edges = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1, initial=0.0)
    steps = np.maximum(1, np.ceil(edges)).astype(np.int64)
    for step in range(2, _FILLED_FROM):
        i, j = np.meshgrid(np.arange(step + 1), np.arange(step + 1), indexing="ij")
        inside = i + j <= step
        weights = np.stack([i[inside], j[inside], step - i[inside] - j[inside]], axis=1) / step
        chosen = corners[steps == step]
        block = max(1, _MOST_POINTS // len(weights))
        for k in range(0, len(chosen), block):
            places = np.round(np.einsum("wc,fcd->fwd", weights, chosen[k : k + block])).astype(np.int64).reshape(-1, 2)
            cells[places[:, 0], places[:, 1]] = True
    for triangle in corners[steps >= _FILLED_FROM]:
        rows, columns = draw.polygon(triangle[:, 0], triangle[:, 1], cells.shape)
        cells[rows, columns] = True
        rim = np.round(triangle).astype(int)
        for (x0, y0), (x1, y1) in zip(rim, np.roll(rim, 1, axis=0), strict=True):
            rows, columns = draw.line(x0, y0, x1, y1)
            cells[rows, columns] = True
    result: Floats = (np.argwhere(cells) + low) * spacing
    return result


def footprint_of(points: Floats, middle: Floats, degrees: float, cell_mm: float, margin_mm: float) -> Footprint:
    """The cells that (n, 2) points cover, turned by `degrees` about the (2,) `middle`, widened by `margin_mm`."""
    from scipy import ndimage  # not before it is needed: a window starts without it

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
