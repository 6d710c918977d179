"""The sketches of bars: a tip and foot from the side, the pattern in plan."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from lean_trellis.core.supports import BarParameters
from lean_trellis.studio.families.several_sketch import TOGETHER, Several
from lean_trellis.studio.forms.drawing import Drawing
from lean_trellis.studio.looks import Sketching
from lean_trellis.studio.theme import Tokens

_LANDINGS = {"plate_only": "on the plate only", "plate_first": "plate, else part", "anywhere": "anywhere"}
_IN_PLAN = ("spacing", "pattern", "edge_inset", "wall_inset", "rim_row")


def sketch_bars(on: Sketching) -> None:
    """By the value in focus: the pattern, what bars do together, or one bar from the side."""
    if on.key in _IN_PLAN:
        _Plan(on.painter, on.area, on.tokens, on.values, on.key).draw()
    elif on.key in TOGETHER:
        Several(on.painter, on.area, on.tokens, on.values, on.key).draw()
    else:
        _Side(on.painter, on.area, on.tokens, on.values, on.key, on.layer_height).draw()


class _Side(Drawing):
    """A bar from the side: the part above, the plate below, the shaft shortened by a break."""

    def __init__(
        self, painter: QPainter, area: QRectF, tokens: Tokens, values: BarParameters, key: str, layer: float
    ) -> None:
        super().__init__(painter, area, tokens, values, key)
        self.layer = layer

    def draw(self) -> None:
        v = self.values
        top_part, bottom = 34.0, self.area.height() - 20
        tall = v.tip_length + v.foot_height + max(v.shaft_diameter * 1.2, 1.0) + self._hold_height()
        wide = max(v.foot_diameter, v.tip_diameter, v.shaft_diameter)
        scale = min((bottom - top_part - 14) / tall, self.area.width() * 0.34 / wide)
        middle = self.area.width() * 0.42
        surface = top_part
        gap = v.whole_gap(self.layer) * self.layer * scale if v.contact == "gap" else 0.0
        dense = v.dense_layers * self.layer * scale if v.contact == "gap" else 0.0
        neck = surface + gap + dense
        base = neck + v.tip_length * scale
        foot_top = bottom - v.foot_height * scale
        tip, shaft, foot = (d * scale / 2 for d in (v.tip_diameter, v.shaft_diameter, v.foot_diameter))
        copper = self.tokens.copper
        self.fill(
            [(12, 8), (self.area.width() - 12, 8), (self.area.width() - 12, surface), (12, surface)],
            self.tokens.part_tints[0],
        )
        self.fill(
            [
                (12, bottom),
                (self.area.width() - 12, bottom),
                (self.area.width() - 12, bottom + 6),
                (12, bottom + 6),
            ],
            self.tokens.slate,
        )
        bite = v.bite_depth * scale if v.contact == "bite" else 0.0
        self.fill(
            [(middle - tip, neck), (middle + tip, neck), (middle + shaft, base), (middle - shaft, base)],
            copper,
        )
        if dense:
            self.fill(
                [
                    (middle - tip, surface + gap),
                    (middle + tip, surface + gap),
                    (middle + tip, neck),
                    (middle - tip, neck),
                ],
                self.tokens.heather,
            )
        if bite:
            self.fill(
                [
                    (middle - tip, surface - bite),
                    (middle + tip, surface - bite),
                    (middle + tip, neck),
                    (middle - tip, neck),
                ],
                copper,
            )
        self.fill(
            [
                (middle - shaft, base),
                (middle + shaft, base),
                (middle + shaft, foot_top),
                (middle - shaft, foot_top),
            ],
            copper,
        )
        upper = self._foot_upper(scale)
        self.fill(
            [
                (middle - upper, foot_top),
                (middle + upper, foot_top),
                (middle + foot, bottom),
                (middle - foot, bottom),
            ],
            copper,
        )
        self._break(middle, shaft, (base + foot_top) / 2)
        self._dimension(middle, surface, neck, base, foot_top, bottom, tip, shaft, foot, gap, bite)

    def _foot_upper(self, scale: float) -> float:
        """Half the width of the foot's top, pixels: at the shaft without a slope."""
        v = self.values
        if v.foot_slope is None:
            return v.shaft_diameter * scale / 2
        lean = v.foot_height * math.tan(math.radians(v.foot_slope))
        return max(v.foot_diameter / 2 - lean, v.shaft_diameter / 2) * scale

    def _hold_height(self) -> float:
        v = self.values
        return (v.whole_gap(self.layer) + v.dense_layers) * self.layer if v.contact == "gap" else 0.0

    def _break(self, middle: float, shaft: float, y: float) -> None:
        path = QPainterPath(QPointF(middle - shaft - 6, y + 2))
        path.lineTo(middle - shaft / 3, y - 3)
        path.lineTo(middle + shaft / 3, y + 3)
        path.lineTo(middle + shaft + 6, y - 2)
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        self.painter.setPen(QPen(QColor(self.tokens.card), 3))
        self.painter.drawPath(path)

    def _dimension(self, middle: float, surface: float, neck: float, base: float, foot_top: float, bottom: float,
                   tip: float, shaft: float, foot: float, gap: float, bite: float) -> None:  # fmt: skip
        v, side = self.values, middle + max(tip, shaft, foot) + 14
        match self.key:
            case "tip_diameter":
                self.span((middle - tip, neck), (middle + tip, neck), "")
                self.words(middle + shaft + 16, neck + 12, f"tip {v.tip_diameter:g} mm wide")
            case "tip_length":
                self.span((side, neck), (side, base), f"tip {v.tip_length:g} mm long")
            case "bite_depth" | "contact" if v.contact == "bite":
                self.span((side, surface - bite), (side, surface), f"bites {v.bite_depth:g} mm")
            case "gap_layers" | "gap" | "contact":
                self.span(
                    (side, surface),
                    (side, surface + gap),
                    f"gap {v.whole_gap(self.layer)} layers, {v.whole_gap(self.layer) * self.layer:g} mm",
                )
            case "dense_layers":
                self.span((side, surface + gap), (side, neck), f"dense {v.dense_layers} layers")
            case "cap":
                joined = v.cap == "joined"
                self.words(side, neck, "dense layers go on to the next" if joined else "each tip on its own")
            case "landing":
                self.words(side, bottom - 6, _LANDINGS[v.landing])
            case "foot_diameter":
                self.span((middle - foot, bottom + 12), (middle + foot, bottom + 12), f"foot {v.foot_diameter:g} mm")
            case "foot_slope":
                words = "narrows to the shaft" if v.foot_slope is None else f"leans {v.foot_slope:g}°"
                self.span((side, foot_top), (side, bottom), f"foot {words}")
            case "foot_height":
                self.span((side, foot_top), (side, bottom), f"foot {v.foot_height:g} mm high")
            case "lean_limit":
                self._lean(middle, neck, v.lean_limit)
            case "height_limit":
                words = "no height limit" if v.height_limit is None else f"none above {v.height_limit:g} mm"
                self.span((side, surface), (side, bottom), words)
            case "part_clearance":
                self.words(side, (base + foot_top) / 2, f"keeps {v.part_clearance:g} mm from parts")
            case _:
                y = (base + foot_top) / 2 + 10
                self.span(
                    (middle - shaft, y),
                    (middle + shaft, y),
                    f"shaft {v.shaft_diameter:g} mm, {v.sides} sides",
                )

    def _lean(self, middle: float, neck: float, limit: float) -> None:
        length = 46.0
        self.painter.setPen(QPen(QColor(self.tokens.ivy), 1.6))
        for sign in (-1, 1):
            end = QPointF(
                middle + sign * length * math.sin(math.radians(limit)), neck + length * math.cos(math.radians(limit))
            )
            self.painter.drawLine(QPointF(middle, neck), end)
        self.words(middle + length * 0.9 + 14, neck + 30, f"leans up to {limit:g}°")


class _Plan(Drawing):
    """The pattern from below: support points on a region with a free edge on the left and a wall on the right."""

    def draw(self) -> None:
        v = self.values
        left, right, top, bottom = 16.0, self.area.width() * 0.5, 18.0, self.area.height() - 18
        self.fill([(left, top), (right, top), (right, bottom), (left, bottom)], self.tokens.straw)
        self.fill([(right, top), (right + 8, top), (right + 8, bottom), (right, bottom)], self.tokens.slate)
        scale = min((right - left) / max(4 * v.spacing, 2.2 * (v.edge_inset + v.wall_inset)), 40.0)
        x0, x1 = left + v.edge_inset * scale, right - v.wall_inset * scale
        step = v.spacing * scale
        rise = step if v.pattern == "square" else step * 3**0.5 / 2
        radius = max(2.0, v.tip_diameter * scale / 2)
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(QColor(self.tokens.copper))
        first = None
        y, number = top + rise / 2, 0
        while y < bottom - 2:
            x = x0 + (0 if v.pattern == "square" or number % 2 == 0 else step / 2)
            while x <= x1 + 1e-6:
                self.painter.drawEllipse(QPointF(x, y), radius, radius)
                if first is None:
                    first = (x, y)
                x += step
            y, number = y + rise, number + 1
        side = right + 16
        if self.key in ("spacing", "pattern") and first is not None:
            self.span(first, (first[0] + step, first[1]), "")
            self.words(side, top + 10, f"{v.spacing:g} mm apart")
            self.words(side, top + 30, v.pattern)
        elif self.key == "edge_inset":
            self.span((left, bottom - 8), (x0, bottom - 8), "")
            self.words(side, bottom - 10, f"{v.edge_inset:g} mm from air")
        elif self.key == "wall_inset":
            self.span((x1, bottom - 8), (right, bottom - 8), "")
            self.words(side, bottom - 10, f"{v.wall_inset:g} mm from walls")
        else:
            self.words(side, top + 10, "row on the rim" if v.rim_row else "no row on the rim")
