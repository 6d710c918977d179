"""The sketch of what several bars do together: trees, braces, feet that they share."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPen

from lean_trellis.core.supports.bars.ways.bracing import BAYS
from lean_trellis.studio.forms.drawing import Drawing

_TREE = ("join", "contacts_per_trunk", "first_join_below", "gather_within", "join_levels")
TOGETHER = (*_TREE, "brace", "free_length", "brace_diameter", "bar_clearance", "detour", "group_span", "lever_gap")
_MOST_DRAWN = 8


class Several(Drawing):
    """Neighbouring bars from the side, between the plate and the part."""

    def draw(self) -> None:
        """By the current value."""
        self.top, self.bottom, self.right = 28.0, self.area.height() - 22, self.area.width() - 12
        self.fill([(12, 8), (self.right, 8), (self.right, self.top), (12, self.top)], self.tokens.part_tints[0])
        low = self.bottom + 6
        self.fill([(12, self.bottom), (self.right, self.bottom), (self.right, low), (12, low)], self.tokens.slate)
        if self.key in _TREE:
            self._tree()
        elif self.key == "bar_clearance":
            self._beside()
        elif self.key == "detour":
            self._past_a_floor()
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
        if v.join == "on" and v.gather_within is not None:
            count = max(2, min(count, 1 + int(2 * v.gather_within / v.spacing)))
        step = min(0.4 * self.area.width() / count, 26.0)
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
        levels = v.join_levels or math.ceil(math.log2(count))
        at_once = max(2, math.ceil(count ** (1 / levels) - 1e-9))
        while len(places) > 1:
            below, carried = [], []
            for number in range(0, len(places), at_once):
                some, own = places[number : number + at_once], loads[number : number + at_once]
                middle = (some[0][0] + some[-1][0]) / 2
                down = max(y + abs(x - middle) / slope for x, y in some)
                node = (middle, min(max(first, down), self.bottom - 14)) if len(some) > 1 else some[0]
                for at, load in zip(some, own, strict=True):
                    self._strut(at, node, width * load**0.25)
                below.append(node)
                carried.append(sum(own))
            places, loads = below, carried
        self._strut(places[0], (places[0][0], self.bottom), width * loads[0] ** 0.25)
        side = 40 + count * step + 2
        if self.key == "first_join_below":
            self.span((side, self.top), (side, first), f"{v.first_join_below:g} mm below")
        elif self.key == "gather_within" and v.gather_within is not None:
            self.words(side, (self.top + self.bottom) / 2, f"within {v.gather_within:g} mm")
        elif self.key == "join_levels":
            how = "two at a time" if v.join_levels is None else f"in {v.join_levels} levels"
            self.words(side, (self.top + self.bottom) / 2, how)
        else:
            self.words(side, (self.top + self.bottom) / 2, f"up to {v.contacts_per_trunk} a trunk")

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

    def _beside(self) -> None:
        """Two shafts with what is free between them."""
        v = self.values
        free = v.bar_clearance or 0.0
        scale = min(0.4 * self.area.width() / (2 * v.shaft_diameter + max(free, 0.2)), 30.0)
        wide = v.shaft_diameter * scale
        left, right = 40 + wide / 2, 40 + wide / 2 + wide + free * scale
        for x in (left, right):
            self._strut((x, self.top), (x, self.bottom), wide)
        if v.bar_clearance is None:
            self.words(right + wide / 2 + 12, (self.top + self.bottom) / 2, "they may meet")
            return
        y = (self.top + self.bottom) / 2
        self.span((left + wide / 2, y), (right - wide / 2, y), "")
        self.words(right + wide / 2 + 12, y, f"{free:g} mm free between")

    def _past_a_floor(self) -> None:
        """A bar over a floor of the part: how much farther the way past it to the plate may be."""
        v = self.values
        floor, left = self.top + 0.35 * (self.bottom - self.top), 40.0
        scale = (self.bottom - self.top) / 40.0
        width = max(v.shaft_diameter * scale, 3.0)
        edge = left + 34.0
        self.fill([(12, floor), (edge, floor), (edge, floor + 7), (12, floor + 7)], self.tokens.part_tints[0])
        allowed = math.inf if v.detour is None else v.detour * scale
        way = self.bottom - floor
        if allowed >= way:
            bend = (edge + 12, self.top + min((edge + 12 - left) / math.tan(math.radians(35)), floor - self.top))
            self._strut((left, self.top), bend, width)
            self._strut(bend, (bend[0], self.bottom), width)
        else:
            self._strut((left, self.top), (left, floor), width)
        side = edge + 30
        if v.detour is None:
            self.words(side, (floor + self.bottom) / 2, "to the plate where it can")
            return
        self.span((side, floor), (side, floor + min(allowed, way)), f"up to {v.detour:g} mm farther")

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
