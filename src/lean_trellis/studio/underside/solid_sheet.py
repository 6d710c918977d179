"""Walls, rafts, blocks and cradles on the underside map: paths in plan, with handles to drag."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from lean_trellis.core.supports import Support
from lean_trellis.studio.forms.qt import draw_lines
from lean_trellis.studio.gestures import Pull
from lean_trellis.studio.looks import look_of
from lean_trellis.studio.session import Session
from lean_trellis.studio.shown import ShownStructure
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.underside.frame import MapFrame
from lean_trellis.studio.underside.map_sheet import SolidSheet

_HANDLE_PX = 9.0


def solid_sheet(support: Support, shown: ShownStructure, tokens: Tokens) -> SolidSheet:
    """The drawing of a support."""
    look = look_of(support)
    sheet = SolidSheet(support.id, look.colour(tokens), QPainterPath())
    if look.on_map is not None:
        look.on_map(sheet, shown)
    return sheet


def paint_solid(painter: QPainter, frame: MapFrame, sheet: SolidSheet, *, strong: float, selected: frozenset[int],
                tokens: Tokens) -> None:  # fmt: skip
    """What it covers as a wash with a rim, walls as lines of their true width, the selected ones in ivy."""
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
    others = [line for wall, lines in sheet.lines.items() if wall not in selected for line in lines]
    chosen = [line for wall in selected for line in sheet.lines.get(wall, ())]
    for lines, pen in (
        (others, _cosmetic(colour, width)),
        (chosen, _cosmetic(QColor(tokens.ivy), width + 1.6)),
    ):
        painter.setPen(pen)
        draw_lines(painter, lines)
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
    """The handles of the current support."""
    support = session.support
    made = None if support is None else session.structure(support)
    if support is None or made is None:
        return []
    return look_of(support).grips(support, made, session.job.part(support.part_id))


def paint_grips(painter: QPainter, frame: MapFrame, handles: list[Pull], tokens: Tokens) -> None:
    """Squares that can be dragged."""
    painter.setPen(QPen(QColor(tokens.ivy), 1.6))
    painter.setBrush(QColor(tokens.card))
    for handle in handles:
        x, y = frame.to_screen(*handle.place[:2])
        painter.drawRect(int(x - _HANDLE_PX / 2), int(y - _HANDLE_PX / 2), int(_HANDLE_PX), int(_HANDLE_PX))
