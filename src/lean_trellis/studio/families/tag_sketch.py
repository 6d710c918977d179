"""The sketch of a tag: in plan with its letters, and a cut from the side."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainterPath, QPen

from lean_trellis.core.supports.bodies.tag import NUMBER
from lean_trellis.core.supports.common.outlines import polygons_of
from lean_trellis.studio.forms.drawing import Drawing


class TagSketch(Drawing):
    """Above as it is seen from above, below as it is cut through a letter."""

    def draw(self) -> None:
        """By the current value."""
        from lean_trellis.core.mesh.lettering import text_shape  # not before a tag is drawn

        v = self.values
        letters = text_shape(v.text.replace(NUMBER, "7"), v.letter_height)
        low_x, low_y, high_x, high_y = letters.bounds
        wide, high = high_x - low_x + 2 * v.rim, high_y - low_y + 2 * v.rim
        scale = min(self.area.width() * 0.55 / wide, self.area.height() * 0.42 / high)
        left, top = 30.0, 14.0
        self.painter.setPen(QPen(QColor(self.tokens.ink), 1.0))
        self.painter.setBrush(QColor(self.tokens.slate))
        self.painter.drawRect(QRectF(left, top, wide * scale, high * scale))
        path = QPainterPath()
        path.setFillRule(Qt.FillRule.OddEvenFill)
        for polygon in polygons_of(letters):
            for ring in (polygon.exterior, *polygon.interiors):
                places = [QPointF(left + (x - low_x + v.rim) * scale, top + (high_y + v.rim - y) * scale)
                          for x, y in ring.coords]  # fmt: skip
                path.moveTo(places[0])
                for place in places[1:]:
                    path.lineTo(place)
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(QColor(self.tokens.part_tints[0] if v.relief == "raised" else self.tokens.ink))
        self.painter.drawPath(path)
        right = left + wide * scale
        if self.key == "letter_height":
            base = top + (high - v.rim) * scale
            self.span((right + 10, base), (right + 10, base - v.letter_height * scale), f"{v.letter_height:g} mm")
        elif self.key == "rim":
            self.span((right - v.rim * scale, top - 5), (right, top - 5), f"rim {v.rim:g} mm")
        self._cut(left)

    def _cut(self, left: float) -> None:
        v, ground = self.values, self.area.height() - 16
        scale = min(26 / (v.thickness + v.letter_depth), 14.0)
        top, deep = ground - v.thickness * scale, v.letter_depth * scale
        right = left + 150
        self.fill([(left, ground), (right, ground), (right, top), (left, top)], self.tokens.slate)
        middle = (left + right) / 2
        is_raised = v.relief == "raised"
        edge = top - deep if is_raised else top + deep
        colour = self.tokens.part_tints[0] if is_raised else self.tokens.ground
        self.fill([(middle - 14, top), (middle + 14, top), (middle + 14, edge), (middle - 14, edge)], colour)
        if self.key == "letter_depth":
            self.span((right + 8, top), (right + 8, edge), f"{v.letter_depth:g} mm")
        elif self.key == "thickness":
            self.span((right + 8, ground), (right + 8, top), f"{v.thickness:g} mm")
