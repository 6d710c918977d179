"""The underside map as a file for the shop floor: SVG at true size, or PNG at a given fineness."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QRectF, QSizeF
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtSvg import QSvgGenerator

from lean_trellis.core.atomic import written_whole
from lean_trellis.studio.underside.frame import MapFrame
from lean_trellis.studio.underside.map import UndersideMap

_MARGIN_MM, _HEAD_MM = 8.0, 14.0
_SVG_DOTS_PER_MM = 10.0
_PNG_DOTS_PER_MM = 8.0
_MOST_PIXELS = 60_000_000


def export_map(drawing: UndersideMap, path: Path, title: str) -> Path:
    """Write the whole plate to a file ending in .svg (true size) or .png. Raises `AccessError`."""
    raw = _as_svg(drawing, title) if path.suffix.lower() == ".svg" else _as_png(drawing, title)
    with written_whole(path) as file:
        file.write(raw)
    return path


def _size_mm(drawing: UndersideMap) -> QSizeF:
    plate = drawing.machine.plate
    return QSizeF(plate.width + 2 * _MARGIN_MM, plate.depth + 2 * _MARGIN_MM + _HEAD_MM)


def _as_svg(drawing: UndersideMap, title: str) -> bytes:
    size, content = _size_mm(drawing), QByteArray()
    buffer = QBuffer(content)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    made = QSvgGenerator()
    made.setOutputDevice(buffer)
    made.setTitle(title)
    dots = _SVG_DOTS_PER_MM
    made.setResolution(round(25.4 * dots))
    made.setSize((size * dots).toSize())
    made.setViewBox(QRectF(0, 0, size.width() * dots, size.height() * dots))
    _paint(QPainter(made), drawing, title, size, dots)
    return bytes(content.data())


def _as_png(drawing: UndersideMap, title: str) -> bytes:
    size = _size_mm(drawing)
    dots = min(_PNG_DOTS_PER_MM, (_MOST_PIXELS / (size.width() * size.height())) ** 0.5)
    image = QImage((size * dots).toSize(), QImage.Format.Format_RGB32)
    image.setDotsPerMeterX(round(1000 * dots))
    image.setDotsPerMeterY(round(1000 * dots))
    image.fill(QColor("white"))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    _paint(painter, drawing, title, size, dots)
    content = QByteArray()
    buffer = QBuffer(content)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "PNG")
    return bytes(content.data())


def _paint(painter: QPainter, drawing: UndersideMap, title: str, size: QSizeF, dots: float) -> None:
    whole = QRectF(0, 0, size.width() * dots, size.height() * dots)
    frame = MapFrame(dots, _MARGIN_MM * dots, (_MARGIN_MM + _HEAD_MM) * dots)
    drawing.paint_all(painter, frame, whole)
    font = drawing.font()
    font.setPixelSize(round(4.5 * dots))
    painter.setFont(font)
    painter.setPen(QColor("black"))
    painter.drawText(whole.marginsRemoved(QMarginsF(*[_MARGIN_MM * dots / 2] * 4)), title)
    painter.end()
