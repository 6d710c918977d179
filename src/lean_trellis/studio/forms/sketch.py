"""The sketch: what the values of a family make, drawn to scale, with the current value dimensioned; small as a sign."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPaintEvent, QPen, QPixmap
from PyQt6.QtWidgets import QSizePolicy, QWidget

from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.studio.looks import Sketching, look_for
from lean_trellis.studio.theme import Tokens

_WIDE, _HIGH = 250, 150
SIGN = QSize(26, 20)
"""Of a sign, px: narrower than a sketch, which has its words at the right."""


def sign_of(values: FamilyParameters, tokens: Tokens, layer_height: float) -> QIcon:
    """What a set makes, small, to be told from others in a list."""
    sharp = 2  # for screens of twice the dots
    picture = QPixmap(SIGN * sharp)
    picture.fill(Qt.GlobalColor.transparent)
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    scale = picture.height() / _HIGH
    painter.scale(scale, scale)
    look_for(values).sketch(Sketching(painter, QRectF(0, 0, _WIDE, _HIGH), tokens, values, "", layer_height))
    painter.end()
    picture.setDevicePixelRatio(sharp)
    return QIcon(picture)


class Sketch(QWidget):
    """A drawing to scale by the field that has the focus, as the family of the values draws it."""

    def __init__(self, tokens: Tokens) -> None:
        super().__init__()
        self._tokens = tokens
        self._values: FamilyParameters | None = None
        self._key = "tip_diameter"
        self._layer = 0.05
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedSize(_WIDE, _HIGH)
        self.setAccessibleName("Drawing of the current setting")

    def sizeHint(self) -> QSize:
        """Small enough to leave the part in view."""
        return QSize(_WIDE, _HIGH)

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self._tokens = tokens
        self.update()

    def show_values(self, values: FamilyParameters | None, layer_height: float) -> None:
        """Draw other values."""
        self._values, self._layer = values, layer_height
        self.update()

    def show_key(self, key: str) -> None:
        """Dimension another value."""
        self._key = key
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self._tokens.card))
        painter.setPen(QPen(QColor(self._tokens.line), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        if self._values is None:
            painter.setPen(QColor(self._tokens.muted))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "A drawing of the current setting")
            return
        area = self.rect().toRectF()
        sketching = Sketching(painter, area, self._tokens, self._values, self._key, self._layer)
        look_for(self._values).sketch(sketching)
