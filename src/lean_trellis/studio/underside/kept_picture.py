"""The map's picture as it was drawn last: moved and scaled with the frame until it is drawn anew."""

from __future__ import annotations

from PyQt6.QtCore import QRect, QSize
from PyQt6.QtGui import QColor, QPainter, QPixmap

from lean_trellis.studio.underside.frame import MapFrame


class KeptPicture:
    """A picture with the frame and size that it was drawn for; none at first."""

    def __init__(self) -> None:
        self._picture: QPixmap | None = None
        self._frame, self._size = MapFrame(), QSize()
        self.is_stale = True
        """Whether what it shows has changed since."""

    def take(self, picture: QPixmap, frame: MapFrame, size: QSize) -> None:
        """Keep another picture."""
        self._picture, self._frame, self._size, self.is_stale = picture, frame, size, False

    def is_of(self, frame: MapFrame, size: QSize) -> bool:
        """Whether it was drawn for that frame and size."""
        return self._picture is not None and (self._frame, self._size) == (frame, size)

    def paint(self, painter: QPainter, frame: MapFrame, room: QRect, ground: QColor) -> None:
        """Paint it where the frame is now."""
        if self._picture is not None and self._frame == frame:
            painter.drawPixmap(0, 0, self._picture)
            return
        painter.fillRect(room, ground)
        if self._picture is not None:
            share = frame.scale / self._frame.scale
            painter.save()
            painter.translate(frame.left - share * self._frame.left, frame.top - share * self._frame.top)
            painter.scale(share, share)
            painter.drawPixmap(0, 0, self._picture)
            painter.restore()
