"""What the drawings of values are made of: filled shapes, words, dimensions."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from lean_trellis.studio.theme import Tokens

_RIM_PX = 4.0


class Drawing:
    """A drawing on an area, of some values, with the current one dimensioned."""

    def __init__(self, painter: QPainter, area: QRectF, tokens: Tokens, values: Any, key: str) -> None:
        self.painter, self.area, self.tokens, self.values, self.key = painter, area, tokens, values, key

    def draw(self) -> None:
        """Draw; each drawing has its own."""

    def fill(self, points: list[tuple[float, float]], colour: str) -> None:
        """A shape without an outline."""
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(QColor(colour))
        self.painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in points]))

    def words(self, x: float, y: float, text: str, *, is_right: bool = False) -> None:
        """A line of text beside a place, its middle at the height y.

        What would leave the drawing on the right lies over it instead, on a card of its own. Without a value in focus
        there are neither words nor dimensions: the shape alone.
        """
        if not self.key:
            return
        self.painter.setPen(QColor(self.tokens.ink))
        width = 150.0
        most = self.painter.window().right() - _RIM_PX - self.painter.fontMetrics().horizontalAdvance(text)
        left = x - width if is_right else min(x, most)
        if not is_right and left < x:
            card = QColor(self.tokens.card)
            card.setAlpha(215)
            self.painter.fillRect(QRectF(left - 2, y - 9, x + width - left, 18), card)
        flag = Qt.AlignmentFlag.AlignRight if is_right else Qt.AlignmentFlag.AlignLeft
        self.painter.drawText(QRectF(left, y - 9, width, 18), flag | Qt.AlignmentFlag.AlignVCenter, text)

    def span(self, a: tuple[float, float], b: tuple[float, float], text: str, *, is_right: bool = True) -> None:
        """A dimension between two points with end ticks, and its number beside it."""
        if not self.key:
            return
        self.painter.setPen(QPen(QColor(self.tokens.ivy), 1.6))
        self.painter.drawLine(QPointF(*a), QPointF(*b))
        across = abs(a[0] - b[0]) > abs(a[1] - b[1])
        for x, y in (a, b):
            tick = (QPointF(x, y - 4), QPointF(x, y + 4)) if across else (QPointF(x - 4, y), QPointF(x + 4, y))
            self.painter.drawLine(*tick)
        x = max(a[0], b[0]) + 8 if is_right else min(a[0], b[0]) - 8
        self.words(x, (a[1] + b[1]) / 2, text, is_right=not is_right)
