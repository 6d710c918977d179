"""Drawing the underside map with a painter: on the screen, into a PNG, into an SVG."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFont, QPainter, QPainterPath, QPen, QPolygonF, QTransform

from lean_trellis.core.arrays import Floats
from lean_trellis.core.overhang.rim import FADING, FREE, WALL
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.supports import Bars
from lean_trellis.core.supports.bars.struts import BEND, LOWER_END, TIP_END
from lean_trellis.studio.forms.qt import draw_lines, points_of
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.underside.dots import draw_dots
from lean_trellis.studio.underside.frame import MapFrame, round_length
from lean_trellis.studio.underside.map_sheet import SolidSheet
from lean_trellis.studio.underside.sheet import PartSheet, RegionShape, SupportSheet, angle_brush
from lean_trellis.studio.underside.solid_sheet import paint_solid

_SMALL_PX = 1.2
_POINT_PX = 5.0
_ISLAND_PX = 10.0
_PICKED_PX = 8.0
_LEAST_CONTACT_PX = 1.4
RULER_PX = 18


@dataclass(frozen=True, eq=False)
class MapLook:
    """What is drawn how: colours, what is selected, the critical angle of each part, what is shown."""

    tokens: Tokens
    part: str
    selected: frozenset[int]
    support: str
    selected_holds: Floats
    critical: dict[str, float]
    shows_supports: bool = True
    selected_elements: frozenset[int] = frozenset()
    """Of the current support: the walls or bodies that are selected."""


def paint_plate(painter: QPainter, frame: MapFrame, machine: Machine, tokens: Tokens, visible: QRectF) -> None:
    """The plate, its grid of 10 mm, and the zones that are taken with their names."""
    painter.fillRect(visible, QColor(tokens.ground))
    painter.save()
    painter.setTransform(_transform(frame), combine=True)
    plate = machine.plate
    shape = QPainterPath()
    rect = QRectF(0, 0, plate.width, plate.depth)
    shape.addEllipse(rect) if plate.shape == "round" else shape.addRect(rect)
    painter.fillPath(shape, QColor(tokens.plate))
    painter.setClipPath(shape, Qt.ClipOperation.IntersectClip)
    lines = []
    for length, across, stands in ((plate.width, plate.depth, True), (plate.depth, plate.width, False)):
        step = 10.0
        while step < length:
            ends = (step, 0, step, across) if stands else (0, step, across, step)
            lines.append(QLineF(*ends))
            step += 10.0
    painter.setPen(_pen(tokens.plate_line, 0.6))
    draw_lines(painter, lines)
    painter.setPen(_pen(tokens.muted, 1.0))
    for zone in machine.zones:
        painter.setBrush(QBrush(QColor(tokens.muted), _DENSE))
        painter.drawRect(QRectF(zone.x, zone.y, zone.width, zone.depth))
    painter.setClipping(False)
    painter.setPen(_pen(tokens.ink, 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(shape)
    painter.restore()
    for zone in machine.zones:
        _write(painter, frame, zone.name, zone.x + zone.width / 2, zone.y + zone.depth / 2, tokens)


def paint_separators(
    painter: QPainter, frame: MapFrame, separators: list[tuple[str, QPainterPath]], tokens: Tokens
) -> None:
    """What lies in the gaps of stacks, in slate lines, each with its name."""
    painter.save()
    painter.setTransform(_transform(frame), combine=True)
    painter.setPen(_pen(tokens.slate, 1.2))
    painter.setBrush(QBrush(QColor(tokens.slate), Qt.BrushStyle.HorPattern))
    for _, path in separators:
        painter.drawPath(path)
    painter.restore()
    for name, path in separators:
        box = path.boundingRect()
        _write(painter, frame, name, box.center().x(), box.top(), tokens)


def _write(painter: QPainter, frame: MapFrame, words: str, x: float, y: float, tokens: Tokens) -> None:
    """A name on a pale ground round a place of the plate."""
    font = QFont(painter.font())
    font.setPixelSize(10)
    painter.save()
    painter.setFont(font)
    size = painter.fontMetrics().size(0, words)
    box = QRectF(0, 0, size.width() + 8.0, size.height() + 2.0)
    box.moveCenter(QPointF(x * frame.scale + frame.left, y * frame.scale + frame.top))
    painter.fillRect(box, _band(tokens))
    painter.setPen(QColor(tokens.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)
    painter.restore()


_DENSE = Qt.BrushStyle.BDiagPattern


def paint_parts(painter: QPainter, frame: MapFrame, sheets: list[PartSheet], look: MapLook, visible: QRectF) -> None:
    """Parts as pale shapes, regions by angle, rims by kind, low edges and points, islands, protected surfaces."""
    tokens = look.tokens
    painter.save()
    painter.setTransform(_transform(frame), combine=True)
    for sheet in sheets:
        painter.setPen(_pen(tokens.ink if sheet.part == look.part else tokens.muted, 1.4))
        tint = QColor(tokens.card)
        tint.setAlpha(190)
        painter.setBrush(tint)
        painter.drawPath(sheet.silhouette)
        critical = look.critical[sheet.part]
        selected = look.selected if sheet.part == look.part else frozenset()
        painter.setPen(Qt.PenStyle.NoPen)
        for shape in sheet.from_above():
            if max(shape.box.width(), shape.box.height()) * frame.scale >= _SMALL_PX:
                painter.fillPath(shape.path, _filling(shape, critical, tokens, is_selected=shape.region.id in selected))
        _draw_rims(painter, sheet, tokens)
        _draw_low_places(painter, sheet, tokens, selected)
        for level, colour in ((KEEP_OFF, tokens.stop), (AVOID, tokens.caution)):
            for pen in (_pen(tokens.card, 3.0), _pen(colour, 1.4)):
                _draw_lines(painter, sheet.hatches.get(level, []), pen)
        for pen in (_pen(tokens.card, 2.6), _pen(tokens.ivy, 1.3)):
            _draw_lines(painter, sheet.selected, pen)
    painter.restore()
    for sheet in sheets:
        _draw_islands(painter, frame, sheet, tokens, visible)


def _filling(shape: RegionShape, critical: float, tokens: Tokens, *, is_selected: bool) -> QBrush:
    """What is selected in ivy, what supports itself dotted, the others by their mean angle."""
    if is_selected:
        return QBrush(QColor(tokens.ivy))
    if shape.region.left_out:
        return QBrush(QColor(tokens.ochre), Qt.BrushStyle.Dense6Pattern)
    return angle_brush(shape.region.mean_angle_deg, critical, tokens.plum, tokens.ochre)


def _draw_rims(painter: QPainter, sheet: PartSheet, tokens: Tokens) -> None:
    """Free edges dark and solid, walls thick and slate, fading ones fine and dotted."""
    fading = _pen(tokens.muted, 1.0)
    fading.setStyle(Qt.PenStyle.DotLine)
    for kind, pen in ((FADING, fading), (FREE, _pen(tokens.ink, 1.0)), (WALL, _pen(tokens.slate, 2.6))):
        painter.setPen(pen)
        for line in sheet.rims.get(kind, []):
            painter.drawPolyline(line)


def _draw_low_places(painter: QPainter, sheet: PartSheet, tokens: Tokens, selected: frozenset[int]) -> None:
    for shape in sheet.shapes:
        colour = tokens.ivy if shape.region.id in selected else tokens.plum
        if shape.region.kind == "edge":
            painter.setPen(_pen(colour, 3.2))
            painter.drawPolyline(_along(shape.places))
        elif shape.region.kind == "point":
            pen = _pen(colour, _POINT_PX + 3)
            pen.setCapStyle(Qt.PenCapStyle.SquareCap)
            painter.setPen(pen)
            painter.drawPoints(shape.places)


def _along(places: QPolygonF) -> QPolygonF:
    """The vertices of a chain, ordered along its longer side."""
    box = places.boundingRect()
    wide = box.width() >= box.height()
    return QPolygonF(sorted(points_of(places), key=lambda p: p.x() if wide else p.y()))


def _draw_islands(painter: QPainter, frame: MapFrame, sheet: PartSheet, tokens: Tokens, visible: QRectF) -> None:
    """A ring with a dot in it where a piece of solid begins in the air."""
    places = np.array([(island.x_mm, island.y_mm) for island in sheet.islands]).reshape(-1, 2)
    for pixels, is_ring in ((_ISLAND_PX, True), (2.4, False)):
        draw_dots(painter, frame, places, pixels / frame.scale, QColor(tokens.stop), visible, is_ring=is_ring)


def paint_supports(
    painter: QPainter, frame: MapFrame, supports: list[SupportSheet], look: MapLook, visible: QRectF
) -> None:
    """Shared feet as shapes, feet as rings, contacts as pale dots of their true size in dark rims, all large enough."""
    if not look.shows_supports:
        return
    tokens = look.tokens
    for sheet in supports:
        contacts, feet = sheet.contacts, sheet.feet
        strong = 1.0 if sheet.support == look.support or not look.support else 0.45
        ring, rim, dot = QColor(tokens.copper), QColor(tokens.rim), QColor(tokens.pale)
        ring.setAlphaF(0.6 * strong)
        rim.setAlphaF(strong)
        dot.setAlphaF(strong)
        painter.save()
        painter.setTransform(_transform(frame), combine=True)
        wash = QColor(tokens.slate)
        wash.setAlphaF(0.10 * strong)
        painter.setBrush(wash)
        painter.setPen(_pen(tokens.slate, 1.0))
        for outline in sheet.shared:
            painter.drawPolygon(outline)
        thin = _pen(tokens.copper, 0.8)
        faint = QColor(tokens.copper)
        faint.setAlphaF(0.45 * strong)
        thin.setColor(faint)
        _draw_lines(painter, sheet.lines, thin)
        painter.restore()
        for diameter, places in feet.by_diameter.items():
            draw_dots(painter, frame, places, diameter, ring, visible, is_ring=True)
        draw_dots(painter, frame, feet.on_part, 1.0, QColor(tokens.stop), visible, is_ring=True)
        for diameter, places in contacts.by_diameter.items():
            size = max(diameter, _LEAST_CONTACT_PX / frame.scale)
            draw_dots(painter, frame, places, size, dot, visible, rim=rim)
    if len(look.selected_holds):
        draw_dots(painter, frame, look.selected_holds, _PICKED_PX / frame.scale, QColor(tokens.ivy), visible)


def paint_solids(painter: QPainter, frame: MapFrame, solids: list[SolidSheet], look: MapLook) -> None:
    """Walls, rafts, blocks, cradles."""
    if not look.shows_supports:
        return
    for sheet in solids:
        is_current = sheet.support == look.support
        strong = 1.0 if is_current or not look.support else 0.45
        selected = look.selected_elements if is_current else frozenset()
        paint_solid(painter, frame, sheet, strong=strong, selected=selected, tokens=look.tokens)


def paint_ghost(painter: QPainter, frame: MapFrame, bars: Bars, is_way: bool, tokens: Tokens) -> None:
    """The way of a bar that would be: its contact, its line to bend and foot, its foot as a ring."""
    colour = QColor(tokens.ivy if is_way else tokens.stop)
    hold, bend, foot = (QPointF(*frame.to_screen(x, y)) for x, y in bars.centres[0, [TIP_END, BEND, LOWER_END], :2])
    painter.setPen(QPen(colour, 2.0))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF([hold, bend, foot]))
    ring = max(float(bars.radii[0, LOWER_END]) * frame.scale, 5.0)
    painter.drawEllipse(foot, ring, ring)
    painter.setBrush(colour)
    dot = max(float(bars.radii[0, TIP_END]) * frame.scale, 3.0)
    painter.drawEllipse(hold, dot, dot)


def paint_rulers(painter: QPainter, frame: MapFrame, width: int, height: int, tokens: Tokens) -> None:
    """Rulers in the unit of lengths along the upper and the left edge, the name of the front, a scale bar."""
    painter.fillRect(QRectF(0, 0, width, RULER_PX), QColor(tokens.paper))
    painter.fillRect(QRectF(0, 0, RULER_PX, height), QColor(tokens.paper))
    step = round_length(70 / frame.scale / UNITS.mm) * UNITS.mm
    painter.setPen(QPen(QColor(tokens.muted), 1))
    font = QFont(painter.font())
    font.setPixelSize(10)
    painter.setFont(font)
    for is_across, room in ((True, width), (False, height)):
        first, _ = frame.to_plate(RULER_PX, 0) if is_across else frame.to_plate(0, RULER_PX)[::-1]
        before = int(first / step) - 1
        for number in range(before, before + 3 + int(room / (step * frame.scale))):
            place = step * number
            at = frame.to_screen(place, 0)[0] if is_across else frame.to_screen(0, place)[1]
            if RULER_PX <= at < room:
                _draw_tick(painter, at, f"{place / UNITS.mm:.6g}", is_across=is_across)
    _draw_scale_bar(painter, frame, width, height, tokens)


def _draw_tick(painter: QPainter, at: float, words: str, *, is_across: bool) -> None:
    if is_across:
        painter.drawLine(QLineF(at, RULER_PX - 5, at, RULER_PX))
        painter.drawText(QPointF(at + 2, RULER_PX - 6), words)
        return
    painter.drawLine(QLineF(RULER_PX - 5, at, RULER_PX, at))
    painter.save()
    painter.translate(RULER_PX - 7, at - 2)
    painter.rotate(-90)
    painter.drawText(QPointF(0, 0), words)
    painter.restore()


def _draw_scale_bar(painter: QPainter, frame: MapFrame, width: int, height: int, tokens: Tokens) -> None:
    length = round_length(110 / frame.scale / UNITS.mm)
    pixels = length * UNITS.mm * frame.scale
    right, low = width - 14.0, height - 12.0
    words = f"{length:g} {UNITS.name}"
    wide = max(pixels, painter.fontMetrics().horizontalAdvance(words))
    painter.fillRect(QRectF(right - wide - 8, low - 24, wide + 16, 34), _band(tokens))
    painter.setPen(QPen(QColor(tokens.ink), 2))
    painter.drawLine(QLineF(right - pixels, low, right, low))
    painter.drawLine(QLineF(right - pixels, low - 4, right - pixels, low))
    painter.drawLine(QLineF(right, low - 4, right, low))
    painter.drawText(QRectF(right - pixels - 60, low - 20, pixels + 60, 14), Qt.AlignmentFlag.AlignRight, words)


def _band(tokens: Tokens) -> QColor:
    """The ground of what is written on the map: what lies below shows through a little."""
    band = QColor(tokens.paper)
    band.setAlpha(215)
    return band


def paint_front(painter: QPainter, visible: QRectF, tokens: Tokens) -> None:
    """How the map lies, in the upper right corner."""
    font = QFont(painter.font())
    font.setPixelSize(11)
    painter.setFont(font)
    words = "from below, front edge on top"
    size = painter.fontMetrics().size(0, words)
    room = QRectF(
        visible.right() - size.width() - 12, visible.top() + RULER_PX + 2, size.width() + 8, size.height() + 2
    )
    painter.fillRect(room, _band(tokens))
    painter.setPen(QColor(tokens.muted))
    painter.drawText(room, Qt.AlignmentFlag.AlignCenter, words)


def _transform(frame: MapFrame) -> QTransform:
    return QTransform(frame.scale, 0, 0, frame.scale, frame.left, frame.top)


def _pen(colour: str, pixels: float) -> QPen:
    pen = QPen(QColor(colour), pixels)
    pen.setCosmetic(True)
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    return pen


def _draw_lines(painter: QPainter, lines: list[QLineF], pen: QPen) -> None:
    if lines:
        painter.setPen(pen)
        draw_lines(painter, lines)
