"""The sketch of what several bars do together: trees, braces, feet that they share."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPen

from lean_trellis.core.supports.bars.bracing import BAYS
from lean_trellis.studio.forms.drawing import Drawing

TOGETHER = ("join", "contacts_per_trunk", "first_join_below", "brace", "free_length", "brace_diameter", "group_span",
            "lever_gap")  # fmt: skip
_MOST_DRAWN = 8


class Several(Drawing):
    """Neighbouring bars from the side, between the plate and the part."""

    def draw(self) -> None:
        """By the current value."""
        self.top, self.bottom, self.right = 28.0, self.area.height() - 22, self.area.width() - 12
        self.fill([(12, 8), (self.right, 8), (self.right, self.top), (12, self.top)], self.tokens.part_tints[0])
        low = self.bottom + 6
        self.fill([(12, self.bottom), (self.right, self.bottom), (self.right, low), (12, low)], self.tokens.slate)
        if self.key in ("join", "contacts_per_trunk", "first_join_below"):
            self._tree()
        elif self.key in ("group_span", "lever_gap"):
            self._shared_foot()
        else:
            self._braced()

    def _strut(self, a: tuple[float, float], b: tuple[float, float], width: float) -> None:
        pen = QPen(QColor(self.tokens.copper), max(width, 1.4))
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        self.painter.setPen(pen)
        self.painter.drawLine(QPointF(*a), QPointF(*b))

    def _tree(self) -> None:
        """As many bars as a trunk carries, up to eight, joined two by two as the lean limit lets them."""
        v = self.values
        count = min(v.contacts_per_trunk, _MOST_DRAWN) if v.join == "on" else 4
        step = min(0.55 * self.area.width() / count, 26.0)
        scale = step / v.spacing
        width = v.shaft_diameter * scale
        places = [(40 + number * step, self.top) for number in range(count)]
        if v.join == "off":
            for x, y in places:
                self._strut((x, y), (x, self.bottom), width)
            self.words(40 + count * step, (self.top + self.bottom) / 2, "each bar alone")
            return
        first = self.top + min(v.first_join_below * scale, 0.45 * (self.bottom - self.top))
        slope = math.tan(math.radians(max(v.lean_limit, 5)))
        loads = [1] * count
        while len(places) > 1:
            below, carried = [], []
            for number in range(0, len(places) - 1, 2):
                (x0, y0), (x1, y1) = places[number], places[number + 1]
                node = ((x0 + x1) / 2, min(max(first, max(y0, y1) + (x1 - x0) / 2 / slope), self.bottom - 14))
                for at, load in zip((places[number], places[number + 1]), loads[number : number + 2], strict=True):
                    self._strut(at, node, width * load**0.25)
                below.append(node)
                carried.append(loads[number] + loads[number + 1])
            if len(places) % 2:
                below.append(places[-1])
                carried.append(loads[-1])
            places, loads = below, carried
        self._strut(places[0], (places[0][0], self.bottom), width * loads[0] ** 0.25)
        side = 40 + count * step + 2
        if self.key == "first_join_below":
            self.span((side, self.top), (side, first), f"first join {v.first_join_below:g} mm below")
        else:
            self.words(side, (self.top + self.bottom) / 2, f"up to {v.contacts_per_trunk} on a trunk")

    def _braced(self) -> None:
        """Two neighbours with the braces that the values ask for, over three free lengths."""
        v = self.values
        left, apart = 60.0, 46.0
        tall = 3.0 * v.free_length
        scale = (self.bottom - self.top) / tall
        width = max(v.shaft_diameter * scale, 3.0)
        for x in (left, left + apart):
            self._strut((x, self.top), (x, self.bottom), width)
        if v.brace != "none":
            thin = max(v.brace_diameter * scale, 1.6)
            for lower, upper, start, stop in BAYS[v.brace](0.0, tall, 0.25 * v.free_length, v.free_length, 1):
                ends = ((lower, start), (upper, stop))
                (xa, ya), (xb, yb) = ((left + side * apart, self.bottom - z * scale) for side, z in ends)
                self._strut((xa, ya), (xb, yb), thin)
        side = left + apart + 16
        if self.key == "brace_diameter":
            self.words(side, (self.top + self.bottom) / 2, f"braces {v.brace_diameter:g} mm")
        elif v.brace == "none":
            self.words(side, (self.top + self.bottom) / 2, "no braces")
        else:
            begin = self.bottom - v.free_length * scale
            self.span((side, begin), (side, self.bottom), f"free {v.free_length:g} mm at most")

    def _shared_foot(self) -> None:
        """Bars within the span on one foot, with its gap for a lever."""
        v = self.values
        spread = v.group_span if v.group_span > 0 else v.spacing * 2
        scale = min(0.5 * self.area.width() / (spread + v.foot_diameter), 34.0, 60 / max(v.foot_height, 0.2))
        left = 34 + v.foot_diameter * scale / 2
        bars = [left + spread * scale * share for share in (0.0, 0.5, 1.0)]
        top = self.bottom - max(v.foot_height * scale, 6)
        for x in bars:
            self._strut((x, self.top), (x, self.bottom - 2), v.shaft_diameter * scale)
        reach = v.foot_diameter * scale / 2
        side = bars[-1] + reach + 14
        if v.group_span > 0:
            gap = v.lever_gap * scale
            outer = (bars[0] - reach, bars[-1] + reach)
            self.fill(
                [(outer[0] + gap, self.bottom), (outer[0], self.bottom - gap), (outer[0], top), (outer[1], top),
                 (outer[1], self.bottom - gap), (outer[1] - gap, self.bottom)],
                self.tokens.copper,
            )  # fmt: skip
        if self.key == "lever_gap":
            self.words(side, self.bottom - 8, f"gap {v.lever_gap:g} mm")
        elif v.group_span > 0:
            self.span((bars[0], top - 14), (bars[-1], top - 14), "")
            self.words(side, top - 14, f"within {v.group_span:g} mm one foot")
        else:
            self.words(side, top - 14, "each on its own foot")
