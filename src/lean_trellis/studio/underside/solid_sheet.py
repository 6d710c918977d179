"""Walls, rafts, blocks and cradles on the underside map: paths in plan, with handles to drag."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
import shapely
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from lean_trellis.core.arrays import Longs
from lean_trellis.core.supports import Support
from lean_trellis.core.supports.bodies import Bodies
from lean_trellis.core.supports.body_parameters import BlockParameters
from lean_trellis.core.supports.cradle import Cradle
from lean_trellis.core.supports.flank import FlankWall
from lean_trellis.core.supports.outlines import polygons_of
from lean_trellis.core.supports.panels import Panels
from lean_trellis.core.supports.raft import Raft, shadow_of
from lean_trellis.core.supports.structure import Structure
from lean_trellis.studio.pull import Handle, Pull
from lean_trellis.studio.session import Session
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.underside.frame import MapFrame
from lean_trellis.studio.view3d.structure_actors import family_colour

_HANDLE_PX = 9.0
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


def solid_sheet(support: Support, made: Structure, tokens: Tokens) -> SolidSheet:
    """The drawing of a support."""
    sheet = SolidSheet(support.id, family_colour(support.family, tokens), QPainterPath())
    if isinstance(made, Panels):
        _add_walls(sheet, made)
    elif isinstance(made, Cradle):
        for body in made.bodies:
            _add_shape(sheet.covers, shapely.convex_hull(shapely.multipoints(body.vertices[:, :2])))
    elif isinstance(made, Raft):
        _add_shape(sheet.covers, made.shape)
        for hole in made.holes:
            words = "closed" if hole.is_closed else f"closes at {hole.closes_at:.2f} mm"
            sheet.holes.append((QPointF(*hole.place), words, hole.is_closed))
    elif isinstance(made, Bodies):
        _add_shape(sheet.covers, shadow_of(made))
    return sheet


def _add_walls(sheet: SolidSheet, walls: Panels) -> None:
    slabs, places = walls.slabs, walls.columns.places
    pairs, first = np.unique(np.column_stack([slabs.left, slabs.right]), axis=0, return_index=True)
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


def _add_shape(path: QPainterPath, shape: Any) -> None:
    path.setFillRule(Qt.FillRule.OddEvenFill)
    for part in polygons_of(shape):
        for ring in (part.exterior, *part.interiors):
            points = [QPointF(x, y) for x, y in ring.coords]
            path.moveTo(points[0])
            for point in points[1:]:
                path.lineTo(point)
            path.closeSubpath()


def paint_solid(painter: QPainter, frame: MapFrame, sheet: SolidSheet, *, strong: float, picked: frozenset[int],
                tokens: Tokens) -> None:  # fmt: skip
    """What it covers as a wash with a rim, walls as lines of their true width, the picked ones in ivy."""
    colour = QColor(sheet.colour)
    wash = QColor(colour)
    wash.setAlphaF(0.16 * strong)
    colour.setAlphaF(strong)
    painter.save()
    painter.translate(frame.left, frame.top)
    painter.scale(frame.scale, frame.scale)
    if not sheet.covers.isEmpty():
        painter.setBrush(wash)
        painter.setPen(_cosmetic(colour, 1.6))
        painter.drawPath(sheet.covers)
    width = max(1.3, sheet.line_mm * frame.scale)
    for wall, lines in sheet.lines.items():
        is_picked = wall in picked
        painter.setPen(_cosmetic(QColor(tokens.ivy) if is_picked else colour, width + 1.6 * is_picked))
        painter.drawLines(lines)
    painter.restore()
    for place, words, is_closed in sheet.holes if strong == 1.0 else ():
        _label(painter, QPointF(*frame.to_screen(place.x(), place.y())), words, is_closed=is_closed, tokens=tokens)


def _label(painter: QPainter, at: QPointF, words: str, *, is_closed: bool, tokens: Tokens) -> None:
    """Words on a card above a place, a short line to it."""
    width, height = painter.fontMetrics().horizontalAdvance(words) + 10, painter.fontMetrics().height() + 4
    card = QRectF(at.x() - width / 2, at.y() - height - 14, width, height)
    colour = QColor(tokens.stop if is_closed else tokens.slate)
    painter.setPen(QPen(colour, 1.2))
    painter.drawLine(at, QPointF(at.x(), card.bottom()))
    painter.setBrush(QColor(tokens.card))
    painter.drawRoundedRect(card, 3, 3)
    painter.setPen(QColor(tokens.stop if is_closed else tokens.ink))
    painter.drawText(card, Qt.AlignmentFlag.AlignCenter, words)


def _cosmetic(colour: QColor, pixels: float) -> QPen:
    pen = QPen(colour, pixels)
    pen.setCosmetic(True)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    return pen


def wall_near(sheet: SolidSheet, x: float, y: float, reach: float) -> int | None:
    """The wall that passes within reach of a place, mm; the nearest of several."""
    best: tuple[float, int] | None = None
    for wall, lines in sheet.lines.items():
        ends = np.array([(line.x1(), line.y1(), line.x2(), line.y2()) for line in lines])
        along = ends[:, 2:] - ends[:, :2]
        squared = np.maximum((along**2).sum(axis=1), 1e-12)
        share = np.clip((([x, y] - ends[:, :2]) * along).sum(axis=1) / squared, 0, 1)
        away = float(np.hypot(*(ends[:, :2] + share[:, None] * along - [x, y]).T).min())
        if away <= reach and (best is None or away < best[0]):
            best = (away, wall)
    return None if best is None else best[1]


def grips(session: Session) -> list[Pull]:
    """The handles of the support in hand: points of drawn paths, the middle and corner of a block, ends of a flank."""
    support = session.support
    made = None if support is None else session.structure(support)
    if support is None or made is None:
        return []
    part = session.job.part(support.part_id)
    found: list[Pull] = []

    def add(handle: Handle, number: int, place: Any) -> None:
        x, y, z = (float(value) for value in place)
        found.append(Pull(support.id, number, handle, (x, y, z)))

    number = 0
    for line in support.hand.paths:
        for place in part.pose.to_plate(part.mesh, np.array(line.places)):
            add("path", number, place)
            number += 1
    if isinstance(support.parameters, BlockParameters) and isinstance(made, Bodies):
        p = support.parameters
        middle = part.bounds().mean(axis=0)[:2] + [p.place_x, p.place_y]
        turn = np.radians(p.turn)
        corner = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]]) @ [p.size_x / 2, p.size_y / 2]
        add("block", 0, (*middle, 0.0))
        add("block", 1, (*(middle + corner), 0.0))
    if isinstance(made, FlankWall) and len(made.path) > 1 and support.parameters.along_length is not None:
        add("flank", 0, (*made.path[0], 0.0))
        add("flank", 1, (*made.path[-1], 0.0))
    return found


def paint_grips(painter: QPainter, frame: MapFrame, handles: list[Pull], tokens: Tokens) -> None:
    """Squares that can be dragged."""
    painter.setPen(QPen(QColor(tokens.ivy), 1.6))
    painter.setBrush(QColor(tokens.card))
    for handle in handles:
        x, y = frame.to_screen(*handle.place[:2])
        painter.drawRect(int(x - _HANDLE_PX / 2), int(y - _HANDLE_PX / 2), int(_HANDLE_PX), int(_HANDLE_PX))
