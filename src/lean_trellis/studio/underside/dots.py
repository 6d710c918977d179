"""Many small discs and rings on the map: stamped while they are small, drawn where they are large."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPixmap

from lean_trellis.core.arrays import Floats
from lean_trellis.studio.underside.frame import MapFrame

_MOST_STAMPED_PX = 9.0
_LEAST_RING_PX = 4.0
_MOST_RING_STAMPED_PX = 16.0
_RIM_PX = 0.7
_FEW = 64
"""So many are set down one by one: a sheet of them all is mostly empty."""


def draw_dots(
    painter: QPainter,
    frame: MapFrame,
    places: Floats,
    diameter: float,
    colour: QColor,
    visible: QRectF,
    *,
    is_ring: bool = False,
    rim: QColor | None = None,
) -> None:
    """Discs or rings of a diameter in mm: stamped while they are small and many, drawn where they are large.

    Discs may have a `rim` round them, of its own colour.
    """
    size = diameter * frame.scale
    whole = size + (0.0 if rim is None else 2 * _RIM_PX)
    at = places * frame.scale + [frame.left, frame.top]
    low = [visible.left() - whole, visible.top() - whole]
    high = [visible.right() + whole, visible.bottom() + whole]
    at = at[((at >= low) & (at <= high)).all(axis=1)]
    if not len(at) or (is_ring and size < _LEAST_RING_PX):
        return
    is_screen = isinstance(painter.device(), QPixmap | QImage)
    if is_screen and whole <= (_MOST_RING_STAMPED_PX if is_ring else _MOST_STAMPED_PX):
        stamp = _ring_stamp(size, colour) if is_ring else _disc_stamp(size, colour, rim)
        if len(at) <= _FEW:
            one = _stamped(np.full((1, 2), 0.5), stamp, visible)
            for place in np.round(at - 0.5).astype(np.int64).tolist():
                painter.drawImage(one[0] + QPoint(*place), one[1])
        else:
            painter.drawImage(*_stamped(at, stamp, visible))
        return
    path = QPainterPath()
    for x, y in at.tolist():
        path.addEllipse(QPointF(x, y), size / 2, size / 2)
    if is_ring:
        painter.setPen(QPen(colour, 1.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        return
    path.setFillRule(Qt.FillRule.WindingFill)
    if rim is not None:
        painter.setPen(QPen(rim, 2 * _RIM_PX))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
    painter.fillPath(path, colour)


@dataclass(frozen=True, eq=False)
class _Stamp:
    """One dot: steps (n, 2) of its pixels from its middle, and their colours (n, 4) as blue, green, red, alpha.

    Where stamps meet, the later of their pixels are set down last.
    """

    steps: np.ndarray
    colours: np.ndarray


def _ring_stamp(size: float, colour: QColor) -> _Stamp:
    steps = _steps(size)
    cover = np.clip(1 - np.abs(np.hypot(*steps.T) - size / 2), 0, 1)
    return _stamp(steps, cover, np.zeros(len(steps)), colour, colour)


def _disc_stamp(size: float, colour: QColor, rim: QColor | None) -> _Stamp:
    whole = size + (0.0 if rim is None else 2 * _RIM_PX)
    steps = _steps(whole)
    away = np.hypot(*steps.T)
    inner = np.clip(0.5 - (away - size / 2), 0, 1)
    return _stamp(steps, np.clip(0.5 - (away - whole / 2), 0, 1), inner, colour, colour if rim is None else rim)


def _steps(size: float) -> np.ndarray:
    reach = int(np.ceil(size / 2))
    return np.stack(np.meshgrid(*[np.arange(-reach, reach + 1)] * 2), axis=-1).reshape(-1, 2)


def _stamp(steps: np.ndarray, cover: Floats, inner: Floats, colour: QColor, rim: QColor) -> _Stamp:
    share = inner[:, None]
    tones = [np.array([c.blue(), c.green(), c.red()], float) for c in (colour, rim)]
    alphas = [c.alpha() * cover for c in (colour, rim)]
    colours = np.column_stack([
        share * tones[0] + (1 - share) * tones[1], inner * alphas[0] + (1 - inner) * alphas[1],
    ])  # fmt: skip
    order = np.lexsort((cover, inner))
    order = order[cover[order] > 0]
    return _Stamp(steps[order], np.round(colours[order]).astype(np.uint8))


def _stamped(at: Floats, stamp: _Stamp, visible: QRectF) -> tuple[QPoint, QImage]:
    """A picture with a stamp at each place, set down at a whole pixel, and where its upper left corner goes.

    It is no larger than what it shows: a layer of dots is often but a few.
    """
    reach = int(np.abs(stamp.steps).max(initial=0))
    cells = np.round(at - 0.5).astype(np.int64)
    room = [round(visible.width()) + reach, round(visible.height()) + reach]
    cells = cells[((cells >= -reach) & (cells < room)).all(axis=1)]
    if not len(cells):
        return QPoint(), QImage()
    low = cells.min(axis=0) - reach
    across, down = (cells.max(axis=0) + reach + 1 - low).tolist()
    first = (cells[:, 1] - low[1]) * across + cells[:, 0] - low[0]
    sheet = np.zeros(across * down, np.uint16)
    for number, (dx, dy) in enumerate(stamp.steps.tolist(), start=1):
        sheet[first + (dy * across + dx)] = number
    colours = np.concatenate([np.zeros((1, 4), np.uint8), stamp.colours]).view(np.uint32).reshape(-1)
    left, top = low.tolist()
    image = QImage(colours[sheet].tobytes(), across, down, 4 * across, QImage.Format.Format_ARGB32)
    return QPoint(left, top), image.copy()
