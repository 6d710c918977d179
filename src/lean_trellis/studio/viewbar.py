"""The strip under the 3D view: what the colours mean, the section plane, what is shown."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QSlider, QVBoxLayout, QWidget

from lean_trellis.studio.forms.fields import ChoiceField, NumberField
from lean_trellis.studio.theme import Tokens


class AngleLegend(QWidget):
    """Surface angle from a ceiling to the critical angle, then the doubtful band up to the watch angle."""

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self._tokens, self._angles = tokens, (45.0, 52.0)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """One row."""
        return QSize(320, 34)

    def show_angles(self, critical: float, watch: float, tokens: Tokens) -> None:
        """Show other angles."""
        self._angles, self._tokens = (critical, watch), tokens
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the band with its three numbers."""
        painter, t = QPainter(self), self._tokens
        critical, watch = self._angles
        left, top, high = 8, 4, 10
        width = min(self.width() - 16, 330)
        split = left + width * critical / max(watch, 1e-6)
        band = QLinearGradient(left, 0, split, 0)
        band.setColorAt(0, QColor(t.plum))
        band.setColorAt(1, QColor(t.ochre))
        painter.fillRect(QRectF(left, top, split - left, high), band)
        painter.fillRect(QRectF(split, top, left + width - split, high), QColor(t.straw))
        painter.setPen(QColor(t.muted))
        top += 2
        row = QRectF(left, top + high, width, 16)
        painter.drawText(row, Qt.AlignmentFlag.AlignLeft, "0° ceiling")
        painter.drawText(
            QRectF(split - 130, top + high, 126, 16), Qt.AlignmentFlag.AlignRight, f"critical {critical:g}°"
        )
        painter.drawText(QRectF(split + 2, top + high, 90, 16), Qt.AlignmentFlag.AlignLeft, f"watch {watch:g}°")


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
        for widget in (QLabel("Section"), self.axis, self.slider, self.place, QLabel("mm")):
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
