"""The sketches of walls: a panel from the side with tabs, openings and cuts; the cells in plan; a flank wall."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPen, QPolygonF

from lean_trellis.core.supports.panels.openings import arch_rises
from lean_trellis.core.supports.panels.parameters import LatticeParameters
from lean_trellis.studio.forms.drawing import Drawing

PLAN_KEYS = ("inset", "rim_walls", "rim_spacing", "cell_along", "cell_across", "turn", "skew", "largest_piece",
             "cut_width", "trim", "trim_clearance")  # fmt: skip
_LEAN_DEG = 44.0


class PanelSide(Drawing):
    """A stretch of wall from the side, two tabs wide: the part above, what it stands on below."""

    def draw(self) -> None:
        """To scale in both directions; the middle of a tall wall is left out."""
        v = self.values
        tint = self.tokens.part_tints[0]
        left, right = 14.0, self.area.width() * 0.56
        top, bottom = 30.0, self.area.height() - 24
        pitch = v.tab_width / max(1 - v.tab_free, 0.05)
        bay = max(2 * pitch, 5 * v.rib_mm, 2.0)
        scale = min((right - left) / bay, (bottom - top) / (v.tab_height + 2.2 * bay))
        scale = max(scale, (right - left) / (2.5 * bay))
        self.fill([(left, 6), (right, 6), (right, top), (left, top)], tint)
        stands = tint if v.ends_on == "below" else self.tokens.slate
        self.fill([(left, bottom), (right, bottom), (right, bottom + 14), (left, bottom + 14)], stands)
        gap = 4.0 if v.contact == "gap" else 0.0
        bite = min(v.bite_depth * scale, 16.0) if v.contact == "bite" else -gap
        edge = top + max(v.tab_height * scale, gap) * (v.tab_free > 0) + gap * (v.tab_free == 0)
        low = bottom - 10 * (v.ends_on == "below")
        colour = self.tokens.verdigris if isinstance(v, LatticeParameters) else self.tokens.heather
        self.fill([(left, edge), (right, edge), (right, low), (left, low)], colour)
        tabs = self._tabs(left, right, pitch * scale, v.tab_width * scale)
        for a, b in tabs:
            self.fill([(a, top - bite), (b, top - bite), (b, edge + 1), (a, edge + 1)], colour)
        lower = self._tabs(
            left, right, v.lower_tabs[0] / max(1 - v.lower_tabs[1], 0.05) * scale, v.lower_tabs[0] * scale
        )
        if v.ends_on == "below":
            for a, b in lower:
                self.fill([(a, low - 1), (b, low - 1), (b, bottom + 3), (a, bottom + 3)], colour)
        opening = self._opening(left, right, edge, low, scale)
        self._dimension(tabs, opening, (left, right, top, edge, low, bottom), bite)

    def _tabs(self, left: float, right: float, pitch: float, width: float) -> list[tuple[float, float]]:
        count = max(1, round((right - left) / max(pitch, 3.0)))
        step = (right - left) / count
        half = min(width, step) / 2
        return [(left + (n + 0.5) * step - half, left + (n + 0.5) * step + half) for n in range(count)]

    def _opening(
        self, left: float, right: float, edge: float, low: float, scale: float
    ) -> tuple[float, float, float, float] | None:
        """Two arched openings beside each other, as large as the share asks and the rib lets them; the first's box."""
        v = self.values
        if v.open_share <= 0:
            return None
        bay, rib = (right - left) / 2, min(v.rib_mm * scale, (right - left) / 5)
        height = low - edge - 2 * rib
        width = min(bay - rib, v.open_share * bay * (low - edge) / max(height, 1))
        rises = arch_rises(_LEAN_DEG)
        width = min(width, 1.6 * height / max(float(rises[-1]), 0.1))
        if width < 4 or height < 6:
            return None
        first = None
        for number in range(2):
            middle = left + (number + 0.5) * bay
            floor, peak = low - rib, edge + rib
            spring = peak + width / 2 * float(rises[-1])
            points = [(middle - width / 2, floor), (middle + width / 2, floor)]
            steps = list(zip((3, 2, 1, 0), rises[::-1], strict=True))
            points += [(middle + width / 6 * (3 - n), spring - width / 2 * float(r))
                       for n, r in zip(range(4), rises, strict=True)]  # fmt: skip
            points += [(middle - width / 6 * (3 - n), spring - width / 2 * float(r)) for n, r in steps[1:]]
            self._cut_out(points)
            first = first or (middle - width / 2, middle + width / 2, peak, floor)
        return first

    def _cut_out(self, points: Sequence[tuple[float, float]]) -> None:
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(QColor(self.tokens.card))
        self.painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in points]))

    def _dimension(self, tabs: list[tuple[float, float]], opening: Any, edges: tuple[float, ...], bite: float) -> None:
        v = self.values
        _, right, top, edge, low, bottom = edges
        side = right + 14
        a, b = tabs[0]
        match self.key:
            case "tab_width":
                self.span((a, edge + 6), (b, edge + 6), "")
                self.words(side, edge + 6, f"tab {v.tab_width:g} mm")
            case "tab_free" if len(tabs) > 1:
                self.span((b, (top + edge) / 2), (tabs[1][0], (top + edge) / 2), "")
                self.words(side, (top + edge) / 2, f"{v.tab_free:.0%} of edge free")
            case "tab_height":
                self.span((side, top), (side, edge), f"tabs {v.tab_height:g} mm high")
            case "bite_depth" | "contact" if v.contact == "bite":
                self.span((side, top - bite), (side, top), f"bites {v.bite_depth:g} mm")
            case "contact" | "gap_layers" | "gap":
                self.words(side, top + 4, f"{v.gap_layers} layers free" if v.gap is None else f"{v.gap:g} mm free")
            case "lower_edge" | "lower_tab_width" | "lower_tab_free" | "lower_tab_height" | "lower_bite_depth":
                own = "own" if v.has_own_lower_edge else "same"
                wide, free, high = v.lower_tabs
                self.words(side, low - 18, f"{own} tabs: {wide:g} mm,")
                self.words(side, low, f"{high:g} mm high, {free:.0%}")
                depth = v.lower_bite_depth if v.has_own_lower_edge else v.bite_depth
                self.words(side, low + 18, f"free, bite {depth:g} mm" if v.contact == "bite" else "free")
            case "thickness":
                self.words(side, (edge + low) / 2, f"{v.thickness:g} mm thick" if v.thickness else "a sheet, one line")
            case "ends_on" | "level" | "level_from":
                words = {"plate": "on the plate only", "below": "on whatever is below"}.get(
                    v.ends_on, f"{v.level:g} mm from the {v.level_from}"
                )
                self.words(side, bottom, words)
            case "rib" if opening is not None:
                self.span((side, edge), (side, opening[2]), f"rib {v.rib_mm:.3g} mm")
            case "open_share" | "rib":
                said = f"{v.open_share:.0%} open" if opening is not None else "no openings"
                self.words(side, (edge + low) / 2, said)
            case _:
                self.words(side, (edge + low) / 2, f"{v.tab_width:g} mm tabs")


class LatticePlan(Drawing):
    """A region from below with its walls: round the rim, along, across, and where it is cut."""

    def draw(self) -> None:
        """To scale; the region is drawn as large as three to eight cells."""
        v = self.values
        left, right, top, bottom = 16.0, self.area.width() * 0.55, 14.0, self.area.height() - 14
        self.fill([(left, top), (right, top), (right, bottom), (left, bottom)], self.tokens.straw)
        cells = [cell for cell in (getattr(v, "cell_along", 0), getattr(v, "cell_across", 0)) if cell > 0]
        unit = max([*cells, getattr(v, "rim_spacing", 1.0), 0.3])
        if v.largest_piece is not None and self.key in ("largest_piece", "cut_width"):
            unit = max(unit, v.largest_piece / 3.2)
        scale = min((bottom - top) / max(4.5 * unit, 3 * v.inset), 60.0)
        self.painter.save()
        self.painter.setClipRect(int(left), int(top), int(right - left), int(bottom - top))
        inset = v.inset * scale
        box = (left + inset, top + inset, right - inset, bottom - inset)
        width = max(1.3, v.thickness * scale)
        self.painter.setPen(QPen(QColor(self.tokens.verdigris), width))
        self._rims(box, scale)
        self._families(box, scale)
        self._cuts(box, scale)
        self.painter.restore()
        self._dimension(box, (left, right, top, bottom), scale)

    def _rims(self, box: tuple[float, float, float, float], scale: float) -> None:
        v = self.values
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        for number in range(min(getattr(v, "rim_walls", 1), 40)):
            step = number * getattr(v, "rim_spacing", 1.0) * scale
            x0, y0, x1, y1 = box[0] + step, box[1] + step, box[2] - step, box[3] - step
            if x1 <= x0 or y1 <= y0:
                break
            self.painter.drawPolygon(QPolygonF([QPointF(x0, y0), QPointF(x1, y0), QPointF(x1, y1), QPointF(x0, y1)]))

    def _lines(self, box: tuple[float, float, float, float], angle: float, apart: float, shift: float) -> None:
        cx, cy = (box[0] + box[2]) / 2, (box[1] + box[3]) / 2
        way = (math.cos(math.radians(angle)), -math.sin(math.radians(angle)))
        side = (-way[1], way[0])
        reach = math.hypot(box[2] - box[0], box[3] - box[1]) / 2
        self.painter.save()
        self.painter.setClipRect(int(box[0]), int(box[1]), int(box[2] - box[0]), int(box[3] - box[1]))
        count = int(reach / apart) + 1
        for number in range(-count, count + 1):
            at = (number + shift) * apart
            x, y = cx + at * side[0], cy + at * side[1]
            self.painter.drawLine(QPointF(x - reach * way[0], y - reach * way[1]),
                                  QPointF(x + reach * way[0], y + reach * way[1]))  # fmt: skip
        self.painter.restore()

    def _families(self, box: tuple[float, float, float, float], scale: float) -> None:
        v = self.values
        if not isinstance(v, LatticeParameters):
            return
        for angle, cell in ((v.turn, v.cell_across), (v.turn + 90 + v.skew, v.cell_along)):
            if cell > 0:
                self._lines(box, angle, max(cell * scale, 3.0), 0.5)

    def _cuts(self, box: tuple[float, float, float, float], scale: float) -> None:
        v = self.values
        if self.key not in ("largest_piece", "cut_width"):
            return
        if v.largest_piece is None or not isinstance(v, LatticeParameters) or not v.cells:
            return
        self.painter.setPen(QPen(QColor(self.tokens.straw), max(v.cut_width * scale, 2.0)))
        for angle, cell in ((v.turn, v.cell_across), (v.turn + 90 + v.skew, v.cell_along)):
            every = cell * max(1, int(v.block_mm / cell)) if cell > 0 else v.block_mm
            self._lines(box, angle, max(every * scale, 6.0), 0.0)

    def _dimension(self, box: tuple[float, float, float, float], edges: tuple[float, ...], scale: float) -> None:
        v = self.values
        left, right, top, _ = edges
        side, middle = right + 14, (box[1] + box[3]) / 2
        said = {
            "inset": f"{v.inset:g} mm from the rim",
            "rim_walls": f"{getattr(v, 'rim_walls', 1)} round the rim",
            "rim_spacing": f"{getattr(v, 'rim_spacing', 0):g} mm apart",
            "cell_along": f"{getattr(v, 'cell_along', 0):g} mm along",
            "cell_across": f"{getattr(v, 'cell_across', 0):g} mm across",
            "turn": f"turned by {getattr(v, 'turn', 0):g}°",
            "skew": f"skewed by {getattr(v, 'skew', 0):g}°",
            "largest_piece": "not cut" if v.largest_piece is None else f"pieces to {v.largest_piece:g} mm",
            "cut_width": f"cuts {v.cut_width:g} mm wide",
            "trim": "keeps clear of bars" if v.trim == "bars" else "makes no room",
            "trim_clearance": f"{v.trim_clearance:g} mm round them",
        }.get(self.key, "")
        if self.key == "inset":
            self.span((left, top + 30), (box[0], top + 30), "")
        self.words(side, middle, said)


class FlankSide(Drawing):
    """A thin part, a wall beside it, ties between them and the wall's base."""

    def draw(self) -> None:
        """Heights to scale, and what lies between part and wall to a scale of its own."""
        v = self.values
        ground, top = self.area.height() - 20, 16.0
        tall = v.ties_to or v.ties_from + 3.2 * v.tie_pitch
        height = max(v.top or 0.0, tall + 2 * v.tie_width)
        up = (ground - top - 8) / height
        wide = min(50.0, max(0.6 * v.tie_pitch * up, 10.0)) / max(v.standoff, 0.2)
        part = 60.0
        self.fill([(part - 16, top), (part, top), (part, ground), (part - 16, ground)], self.tokens.part_tints[0])
        wall = part + v.standoff * wide
        thick = max(v.wall_thickness * wide * 0.6, 3.0)
        crest = ground - height * up
        heather = self.tokens.heather
        self.fill([(wall, crest), (wall + thick, crest), (wall + thick, ground), (wall, ground)], heather)
        base = (v.base_width or 2.5 * v.wall_thickness) * wide * 0.6
        foot = max(ground - 8, ground - v.wall_thickness * up * 2)
        self.fill([(max(wall + thick / 2 - base / 2, part + 3), foot), (wall + thick / 2 + base / 2, foot),
                   (wall + thick / 2 + base / 2, ground), (max(wall + thick / 2 - base / 2, part + 3), ground)],
                  heather)  # fmt: skip
        places: list[float] = []
        at = v.ties_from
        while at <= tall + 1e-6 and len(places) < 30:
            y = ground - at * up
            tie = max(v.tie_width * up, 3.0)
            bite = v.tie_bite * wide
            under = min(y + wall - part, ground)
            self.fill([(wall + 1, y - tie), (part - bite, y - tie), (part - bite, y), (wall + 1, under)], heather)
            places.append(y)
            at += v.tie_pitch
        places = places or [ground - v.ties_from * up]
        self.fill([(20, ground), (self.area.width() - 14, ground), (self.area.width() - 14, ground + 5),
                   (20, ground + 5)], self.tokens.slate)  # fmt: skip
        self._dimension(places, part, wall, thick, base, crest, ground)

    def _dimension(self, places: list[float], part: float, wall: float, thick: float, base: float, crest: float,
                   ground: float) -> None:  # fmt: skip
        v, side = self.values, wall + thick + max(base / 2, 8) + 12
        middle = (crest + ground) / 2
        match self.key:
            case "standoff":
                self.span((part, crest + 10), (wall, crest + 10), "")
                self.words(side, crest + 10, f"standoff {v.standoff:g} mm")
            case "tie_pitch" if len(places) > 1:
                self.span((side, places[0]), (side, places[1]), f"{v.tie_pitch:g} mm apart")
            case "ties_from":
                self.span((side, ground), (side, places[0]), f"from {v.ties_from:g} mm")
            case "ties_to":
                words = "to nine tenths" if v.ties_to is None else f"to {v.ties_to:g} mm"
                self.span((side, ground), (side, places[-1]), words)
            case "top":
                self.span((side, ground), (side, crest), "ends above its ties" if v.top is None else f"{v.top:g} mm")
            case "tie_width" | "tie_bite":
                self.words(side, places[0], f"ties {v.tie_width:g} mm, bite {v.tie_bite:g}")
            case "wall_thickness":
                self.words(side, middle, f"{v.wall_thickness:g} mm thick")
            case "base_width" | "tipping_reserve":
                words = f"{v.tipping_reserve:g} times the push" if v.base_width is None else f"base {v.base_width:g} mm"
                self.words(side, ground - 12, words)
            case "free_length":
                self.words(side, middle, f"lines of ties {v.free_length:g} mm apart")
            case "along_start" | "along_length":
                self.words(side, middle, f"from {v.along_start:g} mm along,")
                length = "once round" if v.along_length is None else f"over {v.along_length:g} mm"
                self.words(side, middle + 18, length)
            case _:
                self.words(side, middle, "tied to the part")
