"""The sheet on which supports that are no bars are put for the map: what they cover, walls as lines, holes."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, Qt
from PyQt6.QtGui import QPainterPath

from lean_trellis.core.arrays import Longs, distinct_pairs
from lean_trellis.core.supports.common.outlines import polygons_of
from lean_trellis.core.supports.panels.panels import Panels
from lean_trellis.studio.shown import ShownStructure

_STRAIGHT = 1 - 1e-7


@dataclass
class SolidSheet:
    """A support that is no bars, from below: what it covers, its tabs as lines by wall, its holes by their state."""

    support: str
    colour: str
    covers: QPainterPath
    lines: dict[int, list[QLineF]] = field(default_factory=dict)
    holes: list[tuple[QPointF, str, bool]] = field(default_factory=list)
    line_mm: float = 0.1


def add_walls(sheet: SolidSheet, shown: ShownStructure) -> None:
    """Put walls on a sheet: slabs one after the other on a straight stretch as one line."""
    walls = shown.made
    assert isinstance(walls, Panels)
    slabs, places = walls.slabs, walls.columns.places
    first = distinct_pairs(slabs.left, slabs.right)
    pairs = np.column_stack([slabs.left, slabs.right])[first]
    owners: Longs = slabs.walls[first]
    order = np.lexsort((pairs[:, 0], owners))
    pairs, owners = pairs[order], owners[order]
    ends = np.stack([places[pairs[:, 0]], places[pairs[:, 1]]], axis=1)
    ways = ends[:, 1] - ends[:, 0]
    ways /= np.maximum(np.hypot(*ways.T), 1e-12)[:, None]
    # Slabs one after the other on a straight stretch are one line.
    goes_on = (
        (owners[1:] == owners[:-1]) & (pairs[1:, 0] == pairs[:-1, 1]) & ((ways[1:] * ways[:-1]).sum(axis=1) > _STRAIGHT)
    )
    begins = np.flatnonzero(np.append(True, ~goes_on)) if len(pairs) else np.zeros(0, np.int64)
    lasts = np.append(begins[1:], len(pairs)) - 1
    for wall, start, stop in zip(
        owners[begins].tolist(), ends[begins, 0].tolist(), ends[lasts, 1].tolist(), strict=True
    ):
        sheet.lines.setdefault(wall, []).append(QLineF(*start, *stop))
    sheet.line_mm = walls.built_thickness


def cover(sheet: SolidSheet, shown: ShownStructure) -> None:
    """Put what structures cover on a sheet."""
    if shown.drawn is not None and shown.drawn.covers is not None:
        add_shape(sheet.covers, shown.drawn.covers)


def add_shape(path: QPainterPath, shape: Any) -> None:
    """Add a shape of shapely to a path, its holes left open."""
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for part in polygons_of(shape):
        for ring in (part.exterior, *part.interiors):
            points = [QPointF(x, y) for x, y in ring.coords]
            path.moveTo(points[0])
            for point in points[1:]:
                path.lineTo(point)
            path.closeSubpath()
