"""The traveller: the stations with their marks and facts, and the parts of the build below."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QVBoxLayout, QWidget

from lean_trellis.studio.forms.fields import head, muted
from lean_trellis.studio.forms.qt import head_of
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.initials import initials
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.station import MARK_WORDS, Fact, Station, station_key
from lean_trellis.studio.theme import Tokens

_HIGH = 48


class StationEntry(QWidget):
    """One station: its number, name, fact and mark, drawn as a stop on the way."""

    clicked = pyqtSignal()

    def __init__(self, number: int, station: Station, tokens: Tokens) -> None:
        super().__init__()
        self.number, self.station, self.tokens = number, station, tokens
        self.fact = Fact("open", "")
        self.is_open = self.is_first = self.is_last = False
        self.setFixedHeight(_HIGH)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """A row of the traveller."""
        return QSize(196, _HIGH)

    def show_fact(self, fact: Fact, *, is_open: bool) -> None:
        """Show another state; drawn anew only where it is another."""
        if (fact, is_open) != (self.fact, self.is_open):
            self.update()
        self.fact, self.is_open = fact, is_open
        self.setAccessibleName(f"{self.station.name}: {fact.words}, {MARK_WORDS[fact.mark]}")
        self.setToolTip(f"{self.station.name} ({station_key(self.number)}): {MARK_WORDS[fact.mark]}")

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Open the station."""
        self.clicked.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Return or space opens the station."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.clicked.emit()
            return
        super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the stem, the mark, name and fact."""
        painter, t = QPainter(self), self.tokens
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.is_open:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.ivy_wash))
            painter.drawRoundedRect(QRectF(4, 2, self.width() - 8, _HIGH - 4), 6, 6)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(t.ivy), 1))
            painter.drawRoundedRect(QRectF(4.5, 2.5, self.width() - 9, _HIGH - 5), 6, 6)
        middle = QPointF(23, _HIGH / 2)
        painter.setPen(QPen(QColor(t.line), 2))
        if not self.is_first:
            painter.drawLine(QPointF(23, 0), QPointF(23, _HIGH / 2 - 10))
        if not self.is_last:
            painter.drawLine(QPointF(23, _HIGH / 2 + 10), QPointF(23, _HIGH))
        draw_mark(painter, middle, self.fact.mark, t)
        font = QFont(painter.font())
        font.setBold(True)
        painter.setFont(font)
        painter.setPen(QColor(t.ink))
        painter.drawText(QRectF(42, 6, self.width() - 100, 18), Qt.AlignmentFlag.AlignVCenter, self.station.name)
        font.setBold(False)
        painter.setFont(font)
        painter.setPen(QColor(t.muted))
        painter.drawText(
            QRectF(self.width() - 58, 6, 46, 18),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            station_key(self.number),
        )
        width = self.width() - 54
        words = painter.fontMetrics().elidedText(self.fact.words, Qt.TextElideMode.ElideRight, width)
        painter.drawText(QRectF(42, 24, width, 17), Qt.AlignmentFlag.AlignVCenter, words)


def draw_mark(painter: QPainter, middle: QPointF, mark: str, t: Tokens) -> None:
    """A leaf-green disc with a tick, an octagon, a triangle, a clock, an empty ring: never colour alone."""
    from math import cos, pi, sin

    x, y = middle.x(), middle.y()
    painter.setPen(Qt.PenStyle.NoPen)
    if mark == "stop":
        painter.setBrush(QColor(t.stop))
        corners = [QPointF(x + 9 * cos(pi / 8 + k * pi / 4), y + 9 * sin(pi / 8 + k * pi / 4)) for k in range(8)]
        painter.drawPolygon(QPolygonF(corners))
        painter.setPen(QPen(QColor(t.paper), 2))
        painter.drawLine(QPointF(x - 4, y), QPointF(x + 4, y))
    elif mark == "look":
        painter.setBrush(QColor(t.caution))
        painter.drawPolygon(QPolygonF([QPointF(x, y - 9), QPointF(x + 9.5, y + 7.5), QPointF(x - 9.5, y + 7.5)]))
        painter.setPen(QPen(QColor(t.paper), 2))
        painter.drawLine(QPointF(x, y - 3), QPointF(x, y + 2))
        painter.drawPoint(QPointF(x, y + 5))
    elif mark == "fine":
        painter.setBrush(QColor(t.fine))
        painter.drawEllipse(middle, 8.5, 8.5)
        painter.setPen(QPen(QColor(t.paper), 2))
        painter.drawPolyline(QPolygonF([QPointF(x - 4, y), QPointF(x - 1, y + 3.4), QPointF(x + 4.4, y - 3.4)]))
    else:
        painter.setBrush(QColor(t.card))
        painter.setPen(QPen(QColor(t.muted), 1.6))
        painter.drawEllipse(middle, 8, 8)
        if mark == "stale":
            painter.drawPolyline(QPolygonF([QPointF(x, y - 5), QPointF(x, y), QPointF(x + 3.6, y + 2)]))


class Traveller(QWidget):
    """The column on the left."""

    opened = pyqtSignal(str)

    def __init__(self, session: Session, stations: list[Station], tokens: Tokens) -> None:
        super().__init__()
        self._session = session
        self.setFixedWidth(222)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(4, 8, 4, 8)
        layout.setSpacing(0)
        self.entries = []
        for place, station in enumerate(stations):
            entry = StationEntry(place + 1, station, tokens)
            entry.is_first, entry.is_last = place == 0, place == len(stations) - 1
            entry.clicked.connect(lambda key=station.key: self.opened.emit(key))
            self.entries.append(entry)
            layout.addWidget(entry)
        layout.addSpacing(10)
        self._holder = holder = QVBoxLayout()
        holder.setContentsMargins(8, 0, 8, 0)
        holder.addWidget(head("On the plate"))
        self.parts = PickTable(("", "", ""), stretch=0)
        self.parts.setObjectName("traveller.parts")
        head_of(self.parts).hide()
        self.parts.selected.connect(lambda keys: session.select(parts=tuple(keys)))
        holder.addWidget(self.parts, 1)
        self._empty = muted("Nothing yet")
        holder.addWidget(self._empty)
        holder.addStretch(0)
        layout.addLayout(holder, 1)

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        for entry in self.entries:
            entry.tokens = tokens
            entry.update()

    def refresh(self, open_station: Station) -> None:
        """Show the stations' facts and the parts."""
        for entry in self.entries:
            entry.show_fact(entry.station.fact(), is_open=entry.station is open_station)
        rows = [(part.id, (part.name, initials(part.owner), self._mark(part.id))) for part in self._session.job.parts]
        self.parts.setVisible(bool(rows))
        self._empty.setVisible(not rows)
        self._holder.setStretch(self._holder.count() - 1, 0 if rows else 1)
        self.parts.show_rows(rows, self._session.selection.parts)

    def _mark(self, part_id: str) -> str:
        findings = self._session.unwaived()
        if findings is None:
            return "…"
        mine = [finding.severity for finding in findings if finding.part_id == part_id]
        return "⬣" if "stop" in mine else "▲" if "caution" in mine else "✓"
