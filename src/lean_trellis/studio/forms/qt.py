"""Small things of Qt that its type information makes awkward: timers, heads of tables, looks, many lines at once."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, cast

from PyQt6.QtCore import QByteArray, QDataStream, QIODevice, QLineF, QObject, QPointF, QTimer
from PyQt6.QtGui import QPainter, QPolygonF
from PyQt6.QtWidgets import QHeaderView, QTableView, QWidget

from lean_trellis.core.arrays import Floats


def single_shot(parent: QObject, milliseconds: int) -> QTimer:
    """A timer that fires once, so long after it was started."""
    timer = QTimer(parent)
    timer.setSingleShot(True)
    timer.setInterval(milliseconds)
    return timer


def head_of(table: QTableView) -> QHeaderView:
    """The head of a table."""
    head = table.horizontalHeader()
    assert head is not None, "tables have a head"
    return head


def side_of(table: QTableView) -> QHeaderView:
    """The head at the left of a table."""
    side = table.verticalHeader()
    assert side is not None, "tables have one at the left"
    return side


def restyle(widget: QWidget) -> None:
    """Let the style sheet look at a widget's properties again."""
    style = widget.style()
    assert style is not None, "shown widgets have a style"
    style.unpolish(widget)
    style.polish(widget)


def draw_lines(painter: QPainter, lines: Sequence[QLineF]) -> None:
    """Draw many lines with one call."""
    if not lines:
        return
    cast(Any, painter).drawLines(lines)  # its types want an array that Python cannot make


def polygon_of(places: Floats) -> QPolygonF:
    """(k, 2) places as Qt has them, however many: read by Qt itself from their bytes."""
    written = QByteArray(len(places).to_bytes(4, "big") + places.astype(">f8").tobytes())
    polygon = QPolygonF()
    cast(Any, QDataStream(written, QIODevice.OpenModeFlag.ReadOnly)) >> polygon
    return polygon


def points_of(polygon: QPolygonF) -> Iterator[QPointF]:
    """The corners of a polygon."""
    yield from cast(Any, polygon)
