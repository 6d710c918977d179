"""Parallel lines across what layers fill: hatch, fill lines, rows of pixels, of many layers at once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, Rows, counted_out
from lean_trellis.core.heavy import heavy
from lean_trellis.core.layers.ways import LayerWays


@dataclass(frozen=True, eq=False)
class Rings(Rows):
    """Closed ways of many layers as segments: `begins` and `ends` (s, 2), the number of the layer of each (s,).

    What is filled lies on the left of each segment.
    """

    begins: Floats
    ends: Floats
    levels: Longs

    @classmethod
    def of_ways(cls, ways: LayerWays) -> Rings:
        """Each way gone round."""
        sizes = np.diff(ways.starts)
        after = np.arange(len(ways.points)) + 1
        filled = sizes > 0
        after[ways.starts[1:][filled] - 1] = ways.starts[:-1][filled]
        return cls(ways.points, ways.points[after], ways.levels[ways.owners])


@dataclass(frozen=True, eq=False)
class Lines(Rows):
    """Straight lines of many layers: `begins` and `ends` (n, 2) in mm, `levels` (n,), `rows` (n,) of the pattern.

    They stand in the order of level, row and place along the row.
    """

    begins: Floats
    ends: Floats
    levels: Longs
    rows: Longs

    @property
    def lengths(self) -> Floats:
        """(n,) mm."""
        return np.asarray(np.hypot(*(self.ends - self.begins).T), np.float64)


@heavy
def scanned(rings: Rings, spacing: float, angles: Floats, offset: float = 0.5) -> Lines:
    """Lines `spacing` mm apart through what the rings fill; what lies in one another counts once (non-zero winding).

    `angles` (l,) in degrees turn the lines of each layer from the x axis. Row k lies at (k + `offset`) spacings from
    the origin, so that lines of all bodies of a layer lie in one pattern. Lines of odd rows run backward. The scan line
    fill of raster graphics, all layers at once.
    """
    turns = np.radians(angles)
    along = np.column_stack([np.cos(turns), np.sin(turns)])
    across = np.column_stack([-along[:, 1], along[:, 0]])
    u = [np.einsum("nd,nd->n", places, along[rings.levels]) for places in (rings.begins, rings.ends)]
    v = [
        np.einsum("nd,nd->n", places, across[rings.levels]) / spacing - offset for places in (rings.begins, rings.ends)
    ]
    low, high = np.minimum(*v), np.maximum(*v)
    # A row on an end of a segment belongs to one of the two that meet there: the one above it.
    first = np.ceil(low).astype(np.int64)
    owner, number = counted_out(np.maximum(np.ceil(high).astype(np.int64) - first, 0))
    row = first[owner] + number
    rise = v[1][owner] - v[0][owner]
    share = (row - v[0][owner]) / np.where(rise == 0.0, 1.0, rise)
    place = u[0][owner] + share * (u[1][owner] - u[0][owner])
    level = rings.levels[owner]
    order = _along_rows(place, row, level)
    row, place, level = row[order], place[order], level[order]
    # Going along a row, what rises is the right side of what is filled, what falls the left one.
    depth = np.cumsum(np.where(rise[order] < 0, 1, -1))
    opens = (depth == 1) & (np.concatenate([[0], depth[:-1]]) == 0) if len(depth) else np.zeros(0, bool)
    closes = (depth == 0) & (np.concatenate([[0], depth[:-1]]) == 1) if len(depth) else np.zeros(0, bool)
    left, right = place[opens], place[closes]
    row, level = row[opens], level[opens]
    wide = right - left > 1e-9
    left, right, row, level = left[wide], right[wide], row[wide], level[wide]
    height = ((row + offset) * spacing)[:, None] * across[level]
    ends = [height + some[:, None] * along[level] for some in (left, right)]
    back = (row % 2 == 1)[:, None]
    return Lines(np.where(back, ends[1], ends[0]), np.where(back, ends[0], ends[1]), level, row)


def _along_rows(places: Floats, rows: Longs, levels: Longs) -> Longs:
    """(n,): the order by level, row and place, from one number for all three (exact to 1e-6 mm in what is built)."""
    if not len(places):
        return np.zeros(0, np.int64)
    width = float(np.ptp(places)) + 1.0
    key = (levels - levels.min()) * (int(np.ptp(rows)) + 1) + (rows - rows.min())
    return np.argsort(key * width + (places - places.min()))
