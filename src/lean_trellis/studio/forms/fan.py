"""The two angles as a fan: undersides as they hang, from a flat ceiling to a wall; both hands are dragged."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lean_trellis.studio.theme import Tokens

_GRIP_PX = 14.0
_MARGIN = 14.0


class AngleFan(QWidget):
    """A quarter circle: the layer plane lies flat, the wall stands up. Regions below the critical hand need support.

    `moving` tells the angles while a hand is dragged, `moved` once it is let go. Left and right keys move the critical
    hand by a degree, with Shift the watch hand.
    """

    moving = pyqtSignal(float, float)
    moved = pyqtSignal(float, float)

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self._tokens = tokens
        self._angles = (45.0, 52.0)
        self._from_vertical = False
        self._hand = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Critical and watch angle")
        self.setToolTip("Drag a hand: the part is coloured as you drag, the regions follow when you let go.")

    def sizeHint(self) -> QSize:
        """Wide and low."""
        return QSize(296, 150)

    def show_angles(self, critical: float, watch: float, *, from_vertical: bool = False) -> None:
        """Show other angles; not while a hand is dragged."""
        if not self._hand:
            self._angles, self._from_vertical = (critical, watch), from_vertical
            self.update()

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self._tokens = tokens
        self.update()

    @property
    def _origin(self) -> QPointF:
        return QPointF(_MARGIN + 8, _MARGIN + 4)

    @property
    def _reach(self) -> float:
        return min(self.height() - 2 * _MARGIN - 10.0, self.width() - 2 * _MARGIN - 110.0)

    def _end(self, angle: float, reach: float) -> QPointF:
        """Where a hand ends: 0° lies level to the right, 90° hangs straight down from the corner."""
        turn = math.radians(angle)
        return self._origin + QPointF(reach * math.cos(turn), reach * math.sin(turn))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Three sectors, two hands with their numbers."""
        painter, t = QPainter(self), self._tokens
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        critical, watch = self._angles
        for begin, end, colour in ((0.0, critical, t.ochre), (critical, watch, t.straw), (watch, 90.0, t.card)):
            path = QPainterPath(self._origin)
            reach = self._reach
            box = QRectF(self._origin.x() - reach, self._origin.y() - reach, 2 * reach, 2 * reach)
            path.arcTo(box, -begin, -(end - begin))
            path.closeSubpath()
            painter.fillPath(path, QColor(colour))
        painter.setPen(QPen(QColor(t.slate), 5))
        painter.drawLine(self._origin + QPointF(-6, 0), self._origin + QPointF(-6, self._reach))
        painter.setPen(QPen(QColor(t.muted), 1, Qt.PenStyle.DashLine))
        painter.drawLine(self._origin, self._end(0, self._reach + 8))
        for angle, name, colour in ((watch, "watch", t.muted), (critical, "critical", t.ink)):
            self._paint_hand(painter, angle, name, colour)
        painter.setPen(QColor(t.muted))
        painter.drawText(self._end(0, self._reach + 12) + QPointF(0, 5), f"ceiling {self.angle_words(0)}")
        painter.drawText(self._end(90, self._reach) + QPointF(-12, 16), f"wall {self.angle_words(90)}")

    def _paint_hand(self, painter: QPainter, angle: float, name: str, colour: str) -> None:
        end = self._end(angle, self._reach)
        painter.setPen(QPen(QColor(colour), 3 if self._hand == name or self.hasFocus() else 2))
        painter.drawLine(self._origin, end)
        painter.setBrush(QColor(colour))
        painter.drawEllipse(end, 4.5, 4.5)
        painter.setPen(QColor(self._tokens.ink))
        critical, watch = self._angles
        apart = 7.0 if watch - critical < 12 else 0.0
        down = 5 + (apart if name == "watch" else -apart)
        painter.drawText(end + QPointF(11, down), f"{name} {self.angle_words(angle)}")

    def angle_words(self, angle: float) -> str:
        """An angle as the user reads angles."""
        return f"{90 - angle if self._from_vertical else angle:g}°"

    # --- hands ---

    def _hand_at(self, at: QPointF) -> str:
        distances = {
            name: (self._end(angle, self._reach) - at).manhattanLength()
            for name, angle in zip(("critical", "watch"), self._angles, strict=True)
        }
        nearest = min(distances, key=lambda name: distances[name])
        return nearest if distances[nearest] <= 2 * _GRIP_PX else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take the nearest hand."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._hand = self._hand_at(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the hand by whole degrees."""
        if event is None:
            return
        if not self._hand:
            is_near = bool(self._hand_at(event.position()))
            self.setCursor(Qt.CursorShape.OpenHandCursor if is_near else Qt.CursorShape.ArrowCursor)
            return
        step = event.position() - self._origin
        angle = min(90.0, max(0.0, round(math.degrees(math.atan2(step.y(), max(step.x(), 1e-6))))))
        self._take(self._hand, angle)
        self.moving.emit(*self._angles)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """The hand stays where it is."""
        if self._hand:
            self._hand = ""
            self.moved.emit(*self._angles)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Left and right by a degree."""
        steps = {Qt.Key.Key_Left: -1.0, Qt.Key.Key_Right: 1.0}
        if event is None or event.key() not in steps:
            super().keyPressEvent(event)
            return
        name = "watch" if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else "critical"
        now = self._angles[name == "watch"]
        self._take(name, min(90.0, max(0.0, now + steps[Qt.Key(event.key())])))
        self.moved.emit(*self._angles)

    def _take(self, name: str, angle: float) -> None:
        critical, watch = self._angles
        if name == "critical":
            self._angles = (angle, max(watch, angle))
        else:
            self._angles = (min(critical, angle), angle)
        self.update()
