"""The strip under the 3D view: what the colours mean, the section plane, what is shown."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QSlider, QVBoxLayout, QWidget

from lean_trellis.studio.forms.fields import ChoiceField, NumberField
from lean_trellis.studio.forms.units import UnitLabel
from lean_trellis.studio.shown import LOW_EDGE, SELF_SUPPORTING
from lean_trellis.studio.theme import Tokens, mixed

_LEAST_BAND_PX, _MOST_BAND_PX = 230, 330
_PARTED_PX, _WATCH_PX = 24, 62
"""Room between band and signs, and for the words that stand out beyond the band."""


class AngleLegend(QWidget):
    """Surface angle from a ceiling to the critical angle, the doubtful band up to the watch angle, what else shows.

    What else are signs with words: low edges and points, and what supports itself, where there are any.
    """

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self._tokens, self._angles = tokens, (45.0, 52.0)
        self._signs: tuple[str, ...] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMinimumWidth(_LEAST_BAND_PX + _WATCH_PX)

    def sizeHint(self) -> QSize:
        """One row."""
        return QSize(320, 34)

    def show_angles(self, critical: float, watch: float, signs: tuple[str, ...], tokens: Tokens) -> None:
        """Show other angles, and which of the signs there are."""
        self._angles, self._signs, self._tokens = (critical, watch), signs, tokens
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the band with its three numbers, and the signs beside it as far as there is room."""
        painter, t = QPainter(self), self._tokens
        critical, watch = self._angles
        wide = sum(self._width_of(words) for words in self._signs) + (_PARTED_PX if self._signs else 0)
        left, top, high = 8, 4, 10
        width = min(max(self.width() - _WATCH_PX - wide, _LEAST_BAND_PX), _MOST_BAND_PX)
        split = left + width * critical / max(watch, 1e-6)
        band = QLinearGradient(left, 0, split, 0)
        band.setColorAt(0, QColor(t.plum))
        band.setColorAt(1, QColor(t.ochre))
        painter.fillRect(QRectF(left, top, split - left, high), band)
        painter.fillRect(QRectF(split, top, left + width - split, high), QColor(t.straw))
        painter.setPen(QColor(t.muted))
        row = QRectF(left, top + high + 2, width, 16)
        ends = f"critical {critical:g}°", f"watch {watch:g}°"
        ceiling = "0° ceiling"
        room = split - 4 - left - painter.fontMetrics().horizontalAdvance(ends[0])
        if painter.fontMetrics().horizontalAdvance(ceiling) <= room:
            painter.drawText(row, Qt.AlignmentFlag.AlignLeft, ceiling)
        painter.drawText(QRectF(split - 130, row.top(), 126, 16), Qt.AlignmentFlag.AlignRight, ends[0])
        painter.drawText(QRectF(split + 2, row.top(), 90, 16), Qt.AlignmentFlag.AlignLeft, ends[1])
        at = left + width + max(0, painter.fontMetrics().horizontalAdvance(ends[1]) + split - left - width) + 14
        for words in self._signs:
            if at + self._width_of(words) > self.width():
                break
            self._paint_sign(painter, words, at, top)
            at += self._width_of(words)

    def _width_of(self, words: str) -> int:
        return self.fontMetrics().horizontalAdvance(words) + 36

    def _paint_sign(self, painter: QPainter, words: str, left: float, top: float) -> None:
        t = self._tokens
        if words == SELF_SUPPORTING:
            painter.fillRect(QRectF(left, top, 14, 10), QColor(mixed(t.ochre, t.pale, 0.7)))
            painter.setPen(QColor(t.muted))
            painter.drawRect(QRectF(left, top, 14, 10))
        elif words == LOW_EDGE:
            painter.fillRect(QRectF(left, top + 4, 16, 3), QColor(t.plum))
        else:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.plum))
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.drawEllipse(QRectF(left + 3, top, 10, 10))
        painter.setPen(QColor(t.ink))
        painter.drawText(QRectF(left + 20, top - 3, 140, 16), Qt.AlignmentFlag.AlignLeft, words)


class SectionBar(QWidget):
    """Axis and place of the section plane."""

    changed = pyqtSignal(int, float)

    def __init__(self) -> None:
        super().__init__()
        self._low, self._high = 0.0, 100.0
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 2, 8, 2)
        self.axis = ChoiceField()
        self.axis.offer([("0", "across X"), ("1", "across Y"), ("2", "across Z")], "1")
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 1000)
        self.slider.setValue(500)
        self.place = NumberField("mm", width=76)
        self.axis.setObjectName("section.axis")
        self.slider.setObjectName("section.slider")
        self.place.setObjectName("section.place")
        for widget in (QLabel("Section"), self.axis, self.slider, self.place, UnitLabel("mm")):
            layout.addWidget(widget, 1 if widget is self.slider else 0)
        self.slider.valueChanged.connect(lambda _: self.tell())
        self.axis.chosen.connect(lambda _: self.tell())
        self.place.taken.connect(self._typed)

    def show_range(self, low: tuple[float, ...], high: tuple[float, ...]) -> None:
        """The box within which the plane moves."""
        self._box = (low, high)

    def value(self) -> tuple[int, float]:
        """Axis and place, mm."""
        axis = int(str(self.axis.currentData()))
        low, high = self._box[0][axis], self._box[1][axis]
        return axis, low + (high - low) * self.slider.value() / 1000

    def tell(self) -> None:
        """Show the plane's place and pass it on."""
        axis, place = self.value()
        self.place.show_value(place)
        self.changed.emit(axis, place)

    def _typed(self, place: float) -> None:
        axis = int(str(self.axis.currentData()))
        low, high = self._box[0][axis], self._box[1][axis]
        self.slider.setValue(round(1000 * (place - low) / max(high - low, 1e-9)))


class ViewBar(QWidget):
    """Legend on the left, section when it is on, a word when the view is simplified."""

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self.setObjectName("viewbar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.section = SectionBar()
        self.section.hide()
        layout.addWidget(self.section)
        line = QHBoxLayout()
        line.setContentsMargins(4, 0, 8, 0)
        self.legend = AngleLegend(tokens)
        self.simplified = QLabel()
        self.simplified.setProperty("role", "muted")
        self.where = QLabel()
        self.where.setProperty("role", "muted")
        line.addWidget(self.legend, 1)
        line.addWidget(self.simplified)
        line.addWidget(self.where)
        layout.addLayout(line)
