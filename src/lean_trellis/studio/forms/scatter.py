"""Two figures of many things against each other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.studio.theme import DAY, Tokens


@dataclass(frozen=True, eq=False)
class Points:
    """What is drawn: `labels` names each figure and its unit, `figures` (n, f) are in that order.

    `front` (k,) are those that a click gives, `best` (b,) those with a number; `now` (f,) is where things stand.
    """

    labels: Mapping[str, tuple[str, str]]
    figures: Floats
    front: Longs
    best: Longs
    now: Floats | None = None


def shown_figure(value: float) -> str:
    """A figure with as many digits as it needs."""
    digits = 0 if value >= 100 else 1 if value >= 10 else 2 if value >= 0.01 or value == 0 else 5
    return f"{value:,.{digits}f}"


class Scatter(QWidget):
    """Points, two figures against each other; a click picks the nearest of the front."""

    selected = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.tokens: Tokens = DAY
        self._points: Points | None = None
        self._axes = ("", "")
        self._chosen = -1
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """As wide as the bench."""
        return QSize(300, 168)

    def show_points(self, points: Points | None, axes: tuple[str, str], chosen: int) -> None:
        """Show other points, axes or another one chosen."""
        self._points, self._axes, self._chosen = points, axes, chosen
        self.update()

    def _columns(self) -> list[int]:
        assert self._points is not None
        keys = list(self._points.labels)
        return [keys.index(axis) for axis in self._axes]

    def _scale(self) -> tuple[np.ndarray, np.ndarray, QRectF]:
        assert self._points is not None
        columns = self._columns()
        front = self._points.figures[self._points.front][:, columns]
        shown = front if self._points.now is None else np.vstack([front, self._points.now[columns]])
        low, high = np.nanmin(shown, axis=0), np.nanmax(shown, axis=0)
        return low, np.where(high > low, high - low, 1.0), QRectF(46, 8, self.width() - 60, self.height() - 40)

    def place_of(self, figures: np.ndarray) -> QPointF:
        """Where a row of figures lies in the drawing; further out than the front is drawn at the rim."""
        low, span, box = self._scale()
        share = np.clip((figures[self._columns()] - low) / span, 0, 1)
        return QPointF(box.left() + share[0] * box.width(), box.bottom() - share[1] * box.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw axes, the front, the best with their numbers, and where things stand now."""
        if self._points is None:
            return
        points, t, painter = self._points, self.tokens, QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        low, span, box = self._scale()
        painter.fillRect(box.adjusted(-4, -4, 4, 4), QColor(t.card))
        painter.setPen(QPen(QColor(t.line), 1))
        painter.drawRect(box.adjusted(-4, -4, 4, 4))
        painter.setPen(QColor(t.muted))
        words = [f"{points.labels[axis][0]} {points.labels[axis][1]}" for axis in self._axes]
        right = Qt.AlignmentFlag.AlignRight
        painter.drawText(
            QRectF(box.left(), box.bottom() + 18, box.width(), 16), Qt.AlignmentFlag.AlignHCenter, words[0]
        )
        painter.drawText(QRectF(box.left(), box.bottom() + 6, 80, 14), 0, shown_figure(float(low[0])))
        painter.drawText(
            QRectF(box.right() - 80, box.bottom() + 6, 80, 14), right, shown_figure(float(low[0] + span[0]))
        )
        painter.drawText(QRectF(0, box.bottom() - 12, 38, 14), right, shown_figure(float(low[1])))
        painter.drawText(QRectF(0, box.top() - 4, 38, 14), right, shown_figure(float(low[1] + span[1])))
        painter.save()
        painter.translate(12, box.center().y() + 60)
        painter.rotate(-90)
        painter.drawText(QRectF(0, -10, 120, 14), Qt.AlignmentFlag.AlignHCenter, words[1])
        painter.restore()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.slate))
        for place in points.front:
            painter.drawEllipse(self.place_of(points.figures[place]), 2.5, 2.5)
        self._draw_best(painter)
        if points.now is None:
            return
        now = self.place_of(points.now)
        painter.setPen(QPen(QColor(t.stop), 2))
        painter.drawLine(now + QPointF(-5, 0), now + QPointF(5, 0))
        painter.drawLine(now + QPointF(0, -5), now + QPointF(0, 5))

    def _draw_best(self, painter: QPainter) -> None:
        assert self._points is not None
        for number, place in enumerate(self._points.best.tolist(), start=1):
            at = self.place_of(self._points.figures[place])
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(self.tokens.ivy if place != self._chosen else self.tokens.copper))
            painter.drawEllipse(at, 8, 8)
            painter.setPen(QColor(self.tokens.on_ivy))
            painter.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, str(number))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select the point of the front that is nearest to the pointer."""
        if event is None or self._points is None:
            return
        at = event.position()
        front = self._points.front.tolist()
        far = [(self.place_of(self._points.figures[place]) - at).manhattanLength() for place in front]
        self.selected.emit(front[int(np.argmin(far))])
