"""The sketches of rafts, blocks and cradles."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainterPath, QPen

from lean_trellis.studio.forms.drawing import Drawing


class RaftSketch(Drawing):
    """The outline of a part with a hole in plan, and the raft round it; for heights a cut from the side."""

    def draw(self) -> None:
        """By the current value."""
        if self.key in ("brim_width", "brim_layers"):
            self._brim()
        elif self.key == "corner_pads":
            self._pads()
        elif self.key in ("thickness", "edge_slope") and self.values.thickness > 0:
            self._side()
        else:
            self._plan()

    def _plan(self) -> None:
        v = self.values
        middle = QPointF(self.area.width() * 0.30, self.area.height() / 2)
        half, hole = 46.0, 24.0
        scale = min(22 / max(abs(v.margin), 1.0), 8.0)
        margin = v.margin * scale
        raft = QPainterPath()
        raft.setFillRule(Qt.FillRule.OddEvenFill)
        box = QRectF(middle.x() - 1.25 * half - margin, middle.y() - half - margin, 2.5 * half + 2 * margin,
                     2 * half + 2 * margin)  # fmt: skip
        if box.width() > 0 and box.height() > 0:
            round_by = 0.0 if v.outline == "rectangle" else max(margin, 0.0)
            raft.addRoundedRect(box, round_by, round_by)
        keeps = v.outline == "follow" and v.holes == "keep"
        left = hole - margin
        if keeps and left * 2 > v.smallest_hole * scale:
            raft.addEllipse(middle, left, left)
        wash = QColor(self.tokens.slate)
        wash.setAlpha(120)
        self.painter.setPen(QPen(QColor(self.tokens.slate), 1.4))
        self.painter.setBrush(wash)
        self.painter.drawPath(raft)
        part = QPainterPath()
        part.setFillRule(Qt.FillRule.OddEvenFill)
        part.addRect(QRectF(middle.x() - 1.25 * half, middle.y() - half, 2.5 * half, 2 * half))
        part.addEllipse(middle, hole, hole)
        self.painter.setPen(QPen(QColor(self.tokens.ink), 1.2))
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        self.painter.drawPath(part)
        side = self.area.width() * 0.62
        if self.key == "margin":
            x = middle.x() + 1.25 * half
            self.span((x, middle.y() + half - 12), (x + margin, middle.y() + half - 12), "")
        closed = keeps and left * 2 <= v.smallest_hole * scale
        hole_words = "hole as small as this: closed" if closed else "hole kept" if keeps else "hole filled"
        outline = {"follow": "follows the outline", "hull": "its hull", "rectangle": "its rectangle"}[v.outline]
        if self.key == "smallest_hole":
            hole_words = f"holes from {v.smallest_hole:g} mm on"
        for number, words in enumerate((outline, f"margin {v.margin:g} mm", hole_words)):
            self.words(side, middle.y() - 20 + 20 * number, words)

    def _brim(self) -> None:
        """From the side: the part, the raft under it if there is one, and the thin rim beside."""
        v = self.values
        ground, middle = self.area.height() - 40, self.area.width() * 0.34
        half, scale = 50.0, min(60 / max(v.brim_width, 1.0), 6.0)
        wide, high, raft = v.brim_width * scale, 3.0 * v.brim_layers + 3.0, 12.0 if v.thickness > 0 else 0.0
        self.fill([(middle - half - wide, ground), (middle + half + wide, ground),
                   (middle + half + wide, ground - high), (middle - half - wide, ground - high)],
                  self.tokens.slate)  # fmt: skip
        if raft:
            self.fill([(middle - half, ground), (middle + half, ground), (middle + half, ground - raft),
                       (middle - half, ground - raft)], self.tokens.slate)  # fmt: skip
        self.fill([(middle - half, ground - raft), (middle + half, ground - raft), (middle + half, 14),
                   (middle - half, 14)], self.tokens.part_tints[0])  # fmt: skip
        self.fill([(10, ground), (middle + half + 80, ground), (middle + half + 80, ground + 5), (10, ground + 5)],
                  self.tokens.line)  # fmt: skip
        if v.brim_width <= 0:
            self.words(middle + half + 14, ground - 24, "no brim")
        elif self.key == "brim_width":
            edge = middle + half
            self.span((edge, ground - high - 10), (edge + wide, ground - high - 10), f"brim {v.brim_width:g} mm")
        else:
            several = "s" * (v.brim_layers != 1)
            self.words(middle + half + wide + 8, ground - high / 2, f"{v.brim_layers} layer{several}")

    def _pads(self) -> None:
        """In plan: the part's outline with a disc at each sharp corner."""
        v, half = self.values, 46.0
        middle = QPointF(self.area.width() * 0.32, self.area.height() / 2)
        round_by = min(max(v.corner_pads, 0.0) * 1.6, 36.0)
        corners = [QPointF(middle.x() + x * 1.25 * half, middle.y() + y * half) for x in (-1, 1) for y in (-1, 1)]
        self.painter.setPen(QPen(QColor(self.tokens.slate), 1.4))
        self.painter.setBrush(QColor(self.tokens.slate))
        for corner in corners if v.corner_pads > 0 else ():
            self.painter.drawEllipse(corner, round_by, round_by)
        self.painter.setBrush(QColor(self.tokens.part_tints[0]))
        self.painter.drawRect(QRectF(corners[0], corners[3]))
        words = f"pads {v.corner_pads:g} mm across" if v.corner_pads > 0 else "no corner pads"
        self.words(self.area.width() * 0.66, middle.y(), words)

    def _side(self) -> None:
        v = self.values
        ground, left, right = self.area.height() - 40, 30.0, self.area.width() * 0.56
        scale = min(44 / v.thickness, 60 / max(v.draw_in, 0.1), 60.0)
        high, drawn_in = v.thickness * scale, v.draw_in * scale
        top = ground - high
        self.fill([(left, ground), (right, ground), (right - drawn_in, top), (left + drawn_in, top)], self.tokens.slate)
        self.fill([(left + 40, 10), (right - 40, 10), (right - 40, ground - high), (left + 40, ground - high)],
                  self.tokens.part_tints[0])  # fmt: skip
        self.fill([(10, ground), (right + 20, ground), (right + 20, ground + 5), (10, ground + 5)], self.tokens.line)
        side = right + 16
        if self.key == "thickness":
            self.span((side, ground), (side, ground - high), f"{v.thickness:g} mm thick")
        else:
            self.words(side, ground - high / 2, f"sides lean {v.edge_slope:g}°")


class BlockSketch(Drawing):
    """A block under a part from the side; for its place and turn from above."""

    def draw(self) -> None:
        """By the current value."""
        v = self.values
        if self.key in ("place_x", "place_y", "turn", "size_y", "shape"):
            self._plan()
            return
        ground = self.area.height() - 20
        part = 44.0
        left, width = 40.0, 90.0
        lift = min(v.place_z * 2, 30.0)
        gap = min(v.trim_clearance * 14, 22.0)
        self.fill([(20, 8), (180, 8), (180, part), (20, part)], self.tokens.part_tints[0])
        top = part + gap if v.size_z is None else max(part - 12, ground - lift - v.size_z * 8)
        top = max(top, part + gap)
        dense = QColor(self.tokens.slate)
        dense.setAlphaF(0.25 + 0.75 * v.density)
        self.painter.setPen(QPen(QColor(self.tokens.slate), 1.2))
        self.painter.setBrush(dense)
        self.painter.drawRect(QRectF(left, top, width, ground - lift - top))
        self.fill([(10, ground), (190, ground), (190, ground + 5), (10, ground + 5)], self.tokens.line)
        side = 204.0
        said = {
            "size_x": f"{v.size_x:g} mm along x",
            "size_z": "up to the part" if v.size_z is None else f"{v.size_z:g} mm high",
            "trim_clearance": f"{v.trim_clearance:g} mm clear",
            "density": f"{v.density:.0%} filled",
            "acts_as": "supports the part" if v.acts_as == "support" else "keeps apart",
            "place_z": f"{v.place_z:g} mm up",
        }.get(self.key, "")
        if self.key == "trim_clearance" and gap > 2:
            self.span((side - 8, part), (side - 8, top), "")
        self.words(side, (top + ground) / 2, said)

    def _plan(self) -> None:
        v = self.values
        middle = QPointF(self.area.width() * 0.3, self.area.height() / 2)
        scale = min(60 / max(v.size_x, v.size_y, 1.0), 12.0)
        self.painter.setPen(QPen(QColor(self.tokens.ink), 1.2, Qt.PenStyle.DashLine))
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        self.painter.drawRect(QRectF(middle.x() - 70, middle.y() - 52, 140, 104))
        self.painter.drawLine(middle - QPointF(6, 0), middle + QPointF(6, 0))
        self.painter.drawLine(middle - QPointF(0, 6), middle + QPointF(0, 6))
        self.painter.save()
        x, y = (max(-46.0, min(46.0, value * scale)) for value in (v.place_x, v.place_y))
        self.painter.translate(middle + QPointF(x, -y))
        self.painter.rotate(-v.turn)
        wash = QColor(self.tokens.slate)
        wash.setAlpha(150)
        self.painter.setPen(QPen(QColor(self.tokens.slate), 1.4))
        self.painter.setBrush(wash)
        box = QRectF(-v.size_x * scale / 2, -v.size_y * scale / 2, v.size_x * scale, v.size_y * scale)
        if v.shape == "cylinder":
            self.painter.drawEllipse(box)
        else:
            self.painter.drawRect(box)
        self.painter.restore()
        side = self.area.width() * 0.62
        said = {
            "place_x": f"{v.place_x:g} mm right of the middle", "place_y": f"{v.place_y:g} mm behind it",
            "turn": f"turned by {v.turn:g}°", "size_y": f"{v.size_y:g} mm along y", "shape": v.shape,
        }.get(self.key, "")  # fmt: skip
        self.words(side, middle.y(), said)


class CradleSketch(Drawing):
    """Posts on their plate under a round part."""

    def draw(self) -> None:
        """To scale in width; posts reach up to the part as the values say."""
        v = self.values
        ground = self.area.height() - 20
        scale = min(34 / v.post_pitch, 24.0)
        plate = min(max(v.raft_thickness * 6, 2.0 * (v.raft_thickness > 0)), 16.0)
        middle, radius, lowest = 110.0, 82.0, ground - 46
        centre = lowest - radius
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(QColor(self.tokens.part_tints[0]))
        self.painter.save()
        self.painter.setClipRect(10, 6, 200, int(ground))
        self.painter.drawEllipse(QPointF(middle, centre), radius, radius)
        self.painter.restore()
        pitch = v.post_pitch * scale
        count = min(int(70 / pitch), 4)
        reach = max(-14.0, min(14.0, v.seat_depth * 20))
        for number in range(-count, count + 1):
            x = middle + number * pitch
            seat = centre + math.sqrt(max(radius**2 - (x - middle) ** 2, 0.0))
            top = (seat if v.heights == "fitted" else lowest) - reach
            wide, tip = v.post_diameter * scale / 2, v.post_tip * scale / 2
            neck = min(top + 2 * (wide - tip), ground - plate)
            self.fill([(x - tip, top), (x + tip, top), (x + wide, neck), (x + wide, ground), (x - wide, ground),
                       (x - wide, neck)], self.tokens.slate)  # fmt: skip
        edge = (count + 0.5) * pitch
        self.fill([(middle - edge, ground - plate), (middle + edge, ground - plate), (middle + edge, ground),
                   (middle - edge, ground)], self.tokens.slate)  # fmt: skip
        said = {
            "post_pitch": f"posts {v.post_pitch:g} mm apart", "post_diameter": f"posts {v.post_diameter:g} mm wide",
            "post_tip": f"tips {v.post_tip:g} mm wide",
            "columns": "as many as it covers" if v.columns is None else f"{v.columns} along x",
            "rows": "as many as it covers" if v.rows is None else f"{v.rows} along y",
            "seat_depth": "touches" if v.seat_depth == 0 else f"{abs(v.seat_depth):g} mm "
            + ("into it" if v.seat_depth > 0 else "below it"),
            "raft_thickness": f"plate {v.raft_thickness:g} mm", "heights": "as the part asks"
            if v.heights == "fitted" else "all the same",
        }.get(self.key, f"posts {v.post_pitch:g} mm apart")  # fmt: skip
        if self.key == "post_pitch":
            self.span((middle, ground + 10), (middle + pitch, ground + 10), "")
        self.words(204, ground - 50, said)
