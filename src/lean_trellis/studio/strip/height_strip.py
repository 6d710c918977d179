"""The height strip: how much of its strength is used, areas of parts and of supports, marks, the current layer."""

from __future__ import annotations

import operator

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from lean_trellis.core.arrays import Floats
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.painter_paths import path_of
from lean_trellis.studio.session import Session
from lean_trellis.studio.strip.strip_marks import StripMark, strip_marks
from lean_trellis.studio.strip.use_colours import NEARLY, use_colour
from lean_trellis.studio.theme import Tokens

_WIDE, _TOP, _FOOT = 84, 26, 20
_USED_PX, _MARKS_PX = 14, 14
"""The lane of what is used, along the left side, and that of the marks, along the right one."""
_NEAR_PX = 7
_STEPS = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1, Qt.Key.Key_PageUp: 10, Qt.Key.Key_PageDown: -10}


_HELP = (
    "By height, from the left: the most that anything uses of its strength (a diamond where that is most), area of "
    "parts, area of supports, marks. Click or drag for a layer, click a mark to go there; the wheel steps."
)


class HeightStrip(QWidget):
    """A mirrored profile of the build over its height. A click or a drag chooses a layer, the wheel and keys step."""

    chosen = pyqtSignal(int)
    """The number of a layer."""
    marked = pyqtSignal(object)
    """A mark that was pressed."""

    def __init__(self, session: Session, tokens: Tokens) -> None:
        super().__init__()
        self._session, self._tokens = session, tokens
        self.setFixedWidth(_WIDE)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Height strip")
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)  # it fills all of itself
        self._marks: tuple[object, list[StripMark]] = (None, [])

    def sizeHint(self) -> QSize:
        """A narrow column."""
        return QSize(_WIDE, 300)

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self._tokens = tokens
        self.update()

    # --- where things are ---

    def _height_at(self, y: float) -> float:
        low, high = self._range()
        share = (self.height() - _FOOT - y) / max(1, self.height() - _TOP - _FOOT)
        return low + min(max(share, 0.0), 1.0) * (high - low)

    def y_of(self, height_mm: float) -> float:
        """Where a height lies in the strip, pixels from its top."""
        return float(self._ys_of(np.array([height_mm]))[0])

    def _ys_of(self, heights_mm: Floats) -> Floats:
        low, high = self._range()
        shares = (heights_mm - low) / max(high - low, 1e-9)
        result: Floats = self.height() - _FOOT - shares * (self.height() - _TOP - _FOOT)
        return result

    def _range(self) -> tuple[float, float]:
        profile = self._session.layers.profile()
        if profile is None or not len(profile):
            return 0.0, self._session.job.machine.height
        return min(0.0, float(profile.tops[0])), float(profile.tops[-1])

    # --- stepping ---

    def _choose(self, y: float) -> None:
        profile = self._session.layers.profile()
        if profile is not None and len(profile):
            self.chosen.emit(profile.number_at(self._height_at(y)))

    def _step(self, layers: int) -> None:
        profile, number = self._session.layers.profile(), self._session.layers.number
        if profile is not None and len(profile) and number is not None:
            self.chosen.emit(int(profile.numbers[profile.place_of(number + layers)]))

    # --- marks ---

    def marks(self) -> list[StripMark]:
        """What is marked, of the job as it is now."""
        layers = self._session.layers
        islands = [self._session.islands(part) for part in self._session.job.parts]
        seen = (layers.profile(), layers.danger(), self._session.findings(), *islands)
        before = self._marks[0]
        if not isinstance(before, tuple) or len(before) != len(seen) or any(map(operator.is_not, before, seen)):
            self._marks = (seen, strip_marks(self._session) if layers.profile() is not None else [])
        return self._marks[1]

    def mark_at(self, at: QPointF) -> StripMark | None:
        """The mark under the pointer, the heaviest of several; it has to be in the lane of its kind."""
        is_right, is_left = at.x() >= self.width() - _MARKS_PX - 2, at.x() <= _USED_PX + 4
        here = [
            mark for mark in self.marks()
            if (is_left if mark.kind == "danger" else is_right) and abs(self.y_of(mark.height_mm) - at.y()) <= _NEAR_PX
        ]  # fmt: skip
        return here[-1] if here else None

    def event(self, event: QEvent | None) -> bool:
        """Say what a mark is, or what the strip shows, where the pointer rests."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            mark = self.mark_at(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), _HELP if mark is None else mark.words, self)
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Go to the mark under the pointer, else choose the layer there; where nothing is known yet, ask for it."""
        self._session.layers.want()
        if event is None:
            return
        mark = self.mark_at(event.position())
        if mark is None:
            self._choose(event.position().y())
            return
        profile = self._session.layers.profile()
        if profile is not None and len(profile):
            self.chosen.emit(profile.number_at(mark.height_mm))
        self.marked.emit(mark)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag through the layers."""
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._choose(event.position().y())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """One layer a notch."""
        if event is not None:
            self._step(1 if event.angleDelta().y() > 0 else -1)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up and down step, page keys by ten, Home and End go to the ends."""
        if event is None:
            return
        step = _STEPS.get(Qt.Key(event.key()))
        if step is None and event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            step = 1_000_000 if event.key() == Qt.Key.Key_End else -1_000_000
        if step is None:
            super().keyPressEvent(event)
        else:
            self._step(step)

    # --- drawing ---

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The profile, a scale, findings and the current layer."""
        painter, t = QPainter(self), self._tokens
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.paper))
        painter.setPen(QColor(t.line))
        painter.drawLine(0, 0, 0, self.height())
        painter.setPen(QColor(t.muted))
        middle = self._middle
        profile = self._session.layers.profile()
        painter.drawText(QRectF(2, 5, self.width() - 4, 16), Qt.AlignmentFlag.AlignHCenter, self._top_words())
        if profile is None:
            self._paint_hint(painter)
            return
        foot = QRectF(2, self.height() - 18, self.width() - 4, 16)
        painter.drawText(foot, Qt.AlignmentFlag.AlignHCenter, self.foot_words())
        painter.setPen(QPen(QColor(t.line), 1))
        painter.drawLine(QPointF(middle, _TOP), QPointF(middle, self.height() - _FOOT))
        if len(profile):
            most = max(float((profile.part_mm2).max(initial=0.0)), float(profile.support_mm2.max(initial=0.0)), 1e-9)
            for areas, colour, side in ((profile.part_mm2, t.part_tints[0], -1), (profile.support_mm2, t.copper, 1)):
                self._paint_side(painter, profile.tops, areas / most * self._half, colour, side)
            self._paint_used(painter, profile.tops)
        self._paint_marks(painter)
        self._paint_layer(painter)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(t.ivy), 1))
            painter.drawRect(QRectF(1.5, 0.5, self.width() - 2, self.height() - 1))

    def _paint_hint(self, painter: QPainter) -> None:
        """Along the strip: what comes here, and how."""
        if not self._session.job.parts:
            return
        is_coming = self._session.layers.is_wanted
        words = "Cutting layers …" if is_coming else "Click to cut layers: areas by height are shown here"
        painter.save()
        painter.translate(self.width() / 2, self.height() / 2)
        painter.rotate(-90)
        half = self.height() / 2 - 12
        shown = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, round(2 * half))
        painter.drawText(QRectF(-half, -10, 2 * half, 20), Qt.AlignmentFlag.AlignCenter, shown)
        painter.restore()

    def _top_words(self) -> str:
        return UNITS.length(self._range()[1], 1) if self._session.layers.profile() is not None else ""

    def foot_words(self) -> str:
        """Where the strip begins: at the plate, or on a belt, where heights along the normal may be below 0, lower."""
        low = self._range()[0]
        return UNITS.length(low, 1) if low < 0 else "0"

    @property
    def _half(self) -> float:
        """How wide one half of the profile is at most."""
        return (self.width() - _USED_PX - _MARKS_PX) / 2 - 4

    @property
    def _middle(self) -> float:
        return _USED_PX + (self.width() - _USED_PX - _MARKS_PX) / 2

    def _paint_used(self, painter: QPainter, tops: Floats) -> None:
        """Along the left side: the most that anything uses of its strength, as long as the lane at its limit."""
        t, danger = self._tokens, self._session.layers.danger()
        if danger is None or len(danger.used) != len(tops) or danger.worst is None:
            return
        rows = np.clip(np.round(self._ys_of(tops)).astype(np.int64), 0, self.height())
        most = np.zeros(self.height() + 1)
        np.maximum.at(most, rows, danger.used)
        for row in np.flatnonzero(most).tolist():
            used = float(most[row])
            painter.setPen(QPen(QColor(t.muted if used <= NEARLY else use_colour(used, t)), 1))
            painter.drawLine(QPointF(2, row), QPointF(2 + min(used, 1.0) * (_USED_PX - 2), row))
        painter.setPen(QPen(QColor(t.line), 1))
        painter.drawLine(QPointF(_USED_PX + 1, _TOP), QPointF(_USED_PX + 1, self.height() - _FOOT))

    def _paint_side(self, painter: QPainter, tops: Floats, widths: Floats, colour: str, side: int) -> None:
        """One half: the widest of the layers that share a row of pixels."""
        middle = self._middle
        ends = np.clip(self._ys_of(tops[[0, -1]]), _TOP, self.height() - _FOOT)
        places = np.linspace(ends[0], ends[1], len(tops)) if len(tops) > 1 else ends[:1]
        pixels = np.round(places).astype(np.int64)
        widest = np.zeros(self.height() + 1)
        np.maximum.at(widest, np.clip(pixels, 0, self.height()), widths)
        used = np.unique(np.clip(pixels, 0, self.height()))[::-1]
        rows = np.concatenate([used[:1], used, used[-1:]])
        outward = np.concatenate([[0.0], widest[used], [0.0]])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(colour))
        painter.drawPath(path_of([np.column_stack([middle + side * outward, rows])], closes=True))

    def _paint_marks(self, painter: QPainter) -> None:
        """Along the right side squares of stops, triangles of cautions, rings of islands and ticks of changes."""
        t, x = self._tokens, self.width() - _MARKS_PX / 2
        for mark in self.marks():
            y = self.y_of(mark.height_mm)
            painter.setPen(Qt.PenStyle.NoPen)
            match mark.kind:
                case "stop":
                    painter.setBrush(QColor(t.stop))
                    painter.drawRect(QRectF(x - 3.5, y - 3.5, 7, 7))
                case "caution":
                    painter.setBrush(QColor(t.caution))
                    painter.drawPolygon(QPolygonF([QPointF(x, y - 4), QPointF(x + 4, y + 3), QPointF(x - 4, y + 3)]))
                case "island":
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.setPen(QPen(QColor(t.plum), 1.2))
                    painter.drawEllipse(QPointF(x, y), 2.6, 2.6)
                case "change":
                    painter.setPen(QPen(QColor(t.heather), 2))
                    painter.drawLine(QPointF(x - 5, y), QPointF(x + 5, y))
                case "danger":
                    painter.setBrush(QColor(t.ink))
                    at = _USED_PX / 2 + 1
                    ends = (at, y - 5), (at + 5, y), (at, y + 5), (at - 5, y)
                    painter.drawPolygon(QPolygonF([QPointF(*end) for end in ends]))

    def _paint_layer(self, painter: QPainter) -> None:
        profile, number = self._session.layers.profile(), self._session.layers.number
        if profile is None or not len(profile) or number is None:
            return
        y = self.y_of(float(profile.tops[profile.place_of(number)]))
        painter.setPen(QPen(QColor(self._tokens.ivy), 2))
        painter.drawLine(QPointF(4, y), QPointF(self.width() - 4, y))
        painter.setBrush(QColor(self._tokens.ivy))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(QPolygonF([QPointF(1, y - 5), QPointF(8, y), QPointF(1, y + 5)]))
