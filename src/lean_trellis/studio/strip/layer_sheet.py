"""The current layer, flat from above: outlines of parts and supports, what is marked in it, a ruler."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QBrush,
    QColor,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QWheelEvent,
)

from lean_trellis.core.arrays import Floats
from lean_trellis.core.layers.paths import Paths
from lean_trellis.core.mesh.directions import level_frame
from lean_trellis.studio.forms.section import Sheet
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.layer_portions import ShownLayer
from lean_trellis.studio.painter_paths import path_of
from lean_trellis.studio.session import Session
from lean_trellis.studio.strip.path_painting import paint_paths, path_entries
from lean_trellis.studio.strip.use_colours import USE_STEPS, use_colour
from lean_trellis.studio.theme import DAY, Tokens
from lean_trellis.studio.tower_drag import TowerDrag
from lean_trellis.studio.underside.frame import MapFrame, round_length

_HOLD_PX, _LEAST_HOLD_PX, _LEAST_RIM_PX = 2.6, 0.9, 1.7
_SAMPLED = 60
"""Of so many holds it is looked how far the next one is."""
HANGING, ISLAND, THIN, ADDED = "hangs over", "begins in the air", "too thin", "added"
_LEGEND_ROW, _LEGEND_PX = 18, 150
_MARGIN_PX = 28.0
"""So far from the edges a layer lies at first: clear of the ruler and of what stands beside it."""


class LayerSheet(Sheet):
    """One layer from above, front edge below. The wheel zooms at the pointer, dragging moves, Shift drag measures.

    The purge tower goes with the pointer where it is dragged.
    """

    stepped = pyqtSignal(int)
    """So many layers up, or down."""
    pointed = pyqtSignal(str)
    pointed_at = pyqtSignal(float, float)
    """A place that was asked for, in the layer's plane, mm."""

    def __init__(self, session: Session, *, has_legend: bool = True) -> None:
        """Without a legend where another sheet beside it explains the same colours."""
        super().__init__()
        self.session, self._has_legend = session, has_legend
        self._tokens = DAY
        self._frame: MapFrame | None = None
        self._fitted_to: object = None
        self._drag: QPointF | None = None
        self._measured: tuple[QPointF, QPointF] | None = None
        self._tower = TowerDrag(session)
        self._picks = False
        self.shows = {"parts": True, "supports": True, "holds": True, "paths": False}
        self._paths: tuple[object, dict[str, QPainterPath]] = (None, {})
        self.setMouseTracking(True)
        self.setMinimumHeight(120)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Layer from above")

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self._tokens = tokens
        self.update()

    def pick_next(self, is_on: bool) -> None:
        """Whether the next click tells its place."""
        self._picks = is_on
        self.setCursor(Qt.CursorShape.CrossCursor if is_on else Qt.CursorShape.ArrowCursor)

    def refresh(self) -> None:
        """Show the current layer."""
        self.update()

    @property
    def layer(self) -> ShownLayer | None:
        """The layer that is shown, once known."""
        number = self.session.layers.number
        return None if number is None else self.session.layers.shown(number)

    @property
    def paths(self) -> tuple[tuple[str, Paths], ...] | None:
        """The paths of the layer that is shown, where they are wanted and known."""
        number = self.session.layers.number
        return self.session.layers.paths(number) if self.shows["paths"] and number is not None else None

    # --- where things are; y runs up on the plate and down on the screen ---

    def _frame_now(self) -> MapFrame:
        job, tower = self.session.job, self._tower.zone if self._fills_tower() else None
        seen = (self.size(), tower is not None, tuple((part.id, part.pose.x, part.pose.y) for part in job.parts))
        if self._frame is None or self._fitted_to != seen:
            self._fitted_to = seen
            boxes = [_in_the_layer(part.bounds(), job.machine.layer_normal) for part in job.parts]
            if tower is not None and boxes:
                boxes.append(np.array([[tower.x, tower.y], [tower.x + tower.width, tower.y + tower.depth]]))
            plate = np.array([[0.0, 0.0], [job.machine.plate.width, job.machine.plate.depth]])
            low, high = (np.min(boxes, axis=(0, 1)), np.max(boxes, axis=(0, 1))) if boxes else plate
            turned_low, turned_high = np.array([low[0], -high[1]]), np.array([high[0], -low[1]])
            aside = _LEGEND_PX if self.width() > 2 * _LEGEND_PX else 0  # the legend never lies over the layer
            fitted = MapFrame.fitted(turned_low, turned_high, self.width() - aside, self.height(), _MARGIN_PX)
            self._frame = fitted.panned(aside, 0.0)
        return self._frame

    def _fills_tower(self) -> bool:
        """Whether paths are shown, and some of them fill the purge tower: it is in sight with them from the first."""
        estimate = self.session.layers.estimate()
        return self.shows["paths"] and estimate is not None and estimate.material_changes > 0

    def _place(self, at: QPointF) -> QPointF:
        x, y = self._frame_now().to_plate(at.x(), at.y())
        return QPointF(x, -y)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom at the pointer."""
        if event is not None:
            at = event.position()
            factor = 1.2 if event.angleDelta().y() > 0 else 1 / 1.2
            self._frame = self._frame_now().zoomed(factor, at.x(), at.y())
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin to move the view, with Shift to measure."""
        if event is None:
            return
        if self._picks and event.button() == Qt.MouseButton.LeftButton:
            at = self._place(event.position())
            self.pointed_at.emit(at.x(), at.y())
            return
        self._drag = event.position()
        is_measuring = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        at = self._place(event.position())
        self._measured = (at, at) if is_measuring else None
        if not is_measuring and event.button() == Qt.MouseButton.LeftButton:
            self._tower.begin(at.x(), at.y())
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Say where the pointer is; move or measure while a button is held."""
        if event is None:
            return
        at = self._place(event.position())
        self.pointed.emit(f"{UNITS.number(at.x(), 2)}  {UNITS.length(at.y())}")
        if self._drag is None or not event.buttons():
            return
        if self._measured is not None:
            self._measured = (self._measured[0], at)
        elif self._tower.is_on:
            self._tower.move(at.x(), at.y())
        else:
            step = event.position() - self._drag
            self._frame = self._frame_now().panned(step.x(), step.y())
            self._drag = event.position()
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """The drag has ended."""
        self._drag = None
        self._tower.end()
        self.update()

    @property
    def distance_mm(self) -> float | None:
        """What is measured, if anything."""
        if self._measured is None:
            return None
        step = self._measured[1] - self._measured[0]
        return math.hypot(step.x(), step.y())

    # --- drawing ---

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The layer with its marks, a legend and a ruler."""
        painter, t = QPainter(self), self._tokens
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.card))
        shown, frame = self.layer, self._frame_now()
        if shown is None:
            painter.setPen(QColor(t.muted))
            words = "Cutting layers …" if self.session.job.parts else "No parts yet: nothing to cut."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, words)
            return
        painter.save()
        painter.translate(frame.left, frame.top)
        painter.scale(frame.scale, -frame.scale)
        paths = self.paths
        self._paint_layer(painter, shown, frame.scale, is_faint=paths is not None)
        if paths is not None:
            paint_paths(painter, paths, self.shows, self._tokens)
        self._paint_tower(painter)
        painter.restore()
        holds = self.holds() if self.shows["holds"] and paths is None else None
        if holds is not None:
            self._paint_holds(painter, frame, *holds)
        if self._has_legend:
            self._paint_legend(painter, shown, has_holds=holds is not None and len(holds[1]) > 0)
        self._paint_ruler(painter, frame)

    def _paint_layer(self, painter: QPainter, shown: ShownLayer, scale: float, *, is_faint: bool) -> None:
        """Bodies and marks; `is_faint`: outlines alone, since paths lie over them."""
        t = self._tokens
        paths = self._paths_of(shown)
        fine = QPen(QColor(t.ink), 0)
        if self.shows["parts"]:
            painter.setPen(fine)
            painter.setBrush(Qt.BrushStyle.NoBrush if is_faint else QBrush(QColor(t.part_tints[0])))
            painter.drawPath(paths["parts"])
        if self.shows["supports"]:
            painter.setPen(QPen(QColor(t.copper).darker(130), 0))
            painter.setBrush(Qt.BrushStyle.NoBrush if is_faint else QBrush(QColor(t.copper)))
            painter.drawPath(paths["supports"])
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(t.copper), max(shown.line_mm, 1.2 / scale)))
            painter.drawPath(paths["lines"])
        if self.shows["parts"] and not is_faint:
            for name, colour, style in (("added", t.straw, Qt.BrushStyle.SolidPattern),
                                        ("thin", t.heather, Qt.BrushStyle.SolidPattern),
                                        ("hanging", t.plum, Qt.BrushStyle.SolidPattern),
                                        ("islands", t.stop, Qt.BrushStyle.NoBrush)):  # fmt: skip
                painter.setBrush(QBrush(QColor(colour), style))
                painter.setPen(QPen(QColor(colour), 2.5 / scale if name == "islands" else 0))
                painter.drawPath(paths[name])
        if self._measured is not None:
            painter.setPen(QPen(QColor(t.ivy), 2 / scale))
            painter.drawLine(QLineF(*self._measured))

    def _paint_tower(self, painter: QPainter) -> None:
        """The place of the purge tower: it can be dragged."""
        zone = self._tower.zone
        if zone is None:
            return
        pen = QPen(QColor(self._tokens.ivy if self._tower.is_on else self._tokens.muted), 1.4, Qt.PenStyle.DashLine)
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(zone.x, zone.y, zone.width, zone.depth))

    def _paint_holds(self, painter: QPainter, frame: MapFrame, places: Floats, used: Floats) -> None:
        """Every hold that is loaded at this layer: the darker, the more of its strength it uses."""
        colours = np.array([use_colour(share, self._tokens) for share in used.tolist()])
        at = places * [frame.scale, -frame.scale] + [frame.left, frame.top]
        size = _hold_size(at)
        for colour in np.unique(colours).tolist():
            dot = self._dot(colour, size)
            whole = QRectF(dot.rect())
            share = 1 / dot.devicePixelRatio()
            dots: Any = [QPainter.PixmapFragment.create(QPointF(x, y), whole, share, share)
                         for x, y in at[colours == colour].tolist()]  # fmt: skip
            painter.drawPixmapFragments(dots, dot)  # the stubs ask for an array that there is none of

    def _dot(self, colour: str, size: float) -> QPixmap:
        """What stands for a hold."""
        ratio, side = self.devicePixelRatioF(), 2 * math.ceil(size) + 2
        dot = QPixmap(round(side * ratio), round(side * ratio))
        dot.setDevicePixelRatio(ratio)
        dot.fill(Qt.GlobalColor.transparent)
        painter = QPainter(dot)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        t, has_rim = self._tokens, size > _LEAST_RIM_PX
        painter.setPen(QPen(QColor(t.ink), 0) if has_rim else Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.muted if colour == t.card and not has_rim else colour))
        painter.drawEllipse(QPointF(side / 2, side / 2), size, size)
        painter.end()
        return dot

    def holds(self) -> tuple[Floats, Floats]:
        """Where holds (k, 2) are that are loaded at this layer, and how much of its strength each uses, once known."""
        profile, number = self.session.layers.profile(), self.session.layers.number
        places, shares = [np.zeros((0, 2))], [np.zeros(0)]
        if profile is not None and len(profile) and number is not None:
            height = profile.tops[[profile.place_of(number)]]
            for part in self.session.job.parts:
                use = self.session.layers.growth(part)
                row = -1 if use is None else int(use.rows_at(height)[0])
                for usage in use.supports.values() if use is not None and row >= 0 else ():
                    is_loaded = usage.used[row] > 0
                    places.append(usage.places[is_loaded, :2])
                    shares.append(usage.used[row][is_loaded])
        return np.concatenate(places), np.concatenate(shares)

    def _paths_of(self, shown: ShownLayer) -> dict[str, QPainterPath]:
        if self._paths[0] is not shown:
            marks = shown.marks
            ways = {
                "parts": shown.parts, "supports": shown.supports, "added": shown.added, "thin": marks.thin,
                "hanging": marks.hanging, "islands": marks.islands,
            }  # fmt: skip
            made = {name: path_of(some, closes=True) for name, some in ways.items()}
            made["lines"] = path_of(shown.lines, closes=False)
            self._paths = (shown, made)
        return self._paths[1]

    def _paint_legend(self, painter: QPainter, shown: ShownLayer, *, has_holds: bool) -> None:
        t, marks = self._tokens, shown.marks
        paths = self.paths
        if paths is not None:
            self._paint_entries(painter, path_entries(paths, self.shows, t))
            return
        entries = [("parts", t.part_tints[0], bool(shown.parts) and self.shows["parts"]),
                   ("supports", t.copper, bool(shown.supports or shown.lines) and self.shows["supports"]),
                   (HANGING, t.plum, bool(marks.hanging)), (ISLAND, t.stop, bool(marks.islands)),
                   (THIN, t.heather, bool(marks.thin)), (ADDED, t.straw, bool(shown.added))]  # fmt: skip
        if has_holds:
            entries += [(words, use_colour(used, t), True) for words, used in USE_STEPS]
        self._paint_entries(painter, [(words, colour) for words, colour, is_there in entries if is_there])

    def _paint_entries(self, painter: QPainter, there: list[tuple[str, str]]) -> None:
        t = self._tokens
        wide = 26 + max([0, *(painter.fontMetrics().horizontalAdvance(words) for words, _ in there)])
        if there:
            backing = QColor(t.card)
            backing.setAlpha(220)
            painter.fillRect(QRectF(4, 4, wide + 6, _LEGEND_ROW * len(there) + 6), backing)
        for number, (words, colour) in enumerate(there):
            y = 8 + _LEGEND_ROW * number
            is_hold = any(words == step for step, _ in USE_STEPS)
            painter.setPen(QPen(QColor(t.ink if is_hold else colour), 2 if words == ISLAND else 0))
            painter.setBrush(Qt.BrushStyle.NoBrush if words == ISLAND else QColor(colour))
            if is_hold:
                painter.drawEllipse(QRectF(11, y + 3, 8, 8))
            else:
                painter.drawRect(QRectF(10, y + 2, 11, 10))
            painter.setPen(QColor(t.ink))
            painter.drawText(QRectF(28, y - 1, wide, 16), Qt.AlignmentFlag.AlignVCenter, words)

    def _paint_ruler(self, painter: QPainter, frame: MapFrame) -> None:
        t = self._tokens
        length = round_length(110 / frame.scale)
        wide = length * frame.scale
        left, y = 12.0, self.height() - 12.0
        backing = QColor(t.card)
        backing.setAlpha(220)
        words, right = UNITS.length(length, 2 if length < 1 else 0), "from above, front edge below"
        if self.session.job.machine.is_belt:
            right = "along the tilted layers' normal"
        if self.distance_mm is not None:
            right = f"measured {UNITS.length(self.distance_mm)}  ·  {right}"
        room = painter.fontMetrics().horizontalAdvance
        painter.fillRect(QRectF(left - 6, y - 12, wide + room(words) + 22, 22), backing)
        is_wide = self.width() > wide + room(words) + room(right) + 60
        if is_wide:
            painter.fillRect(QRectF(self.width() - room(right) - 18, y - 12, room(right) + 16, 22), backing)
        painter.setPen(QPen(QColor(t.ink), 1.4))
        painter.drawLine(QPointF(left, y), QPointF(left + wide, y))
        for x in (left, left + wide):
            painter.drawLine(QPointF(x, y - 4), QPointF(x, y + 1))
        painter.drawText(QPointF(left + wide + 8, y + 3), words)
        if not is_wide:
            return
        painter.setPen(QColor(t.muted))
        box = QRectF(self.width() - 380, self.height() - 22, 370, 18)
        painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, right)


def _in_the_layer(box: Floats, normal: tuple[float, float, float]) -> Floats:
    """(2, 2): the box in the layers' plane round a box (2, 3) on the plate."""
    corners = np.stack(np.meshgrid(*box.T), axis=-1).reshape(-1, 3) @ level_frame(normal)[:, :2]
    return np.array([corners.min(axis=0), corners.max(axis=0)])


def _hold_size(at: Floats) -> float:
    """The radius of the dots of holds (k, 2), pixels: where they are close together they do not cover each other."""
    if len(at) < 2:
        return _HOLD_PX
    some = np.unique(np.linspace(0, len(at) - 1, _SAMPLED).astype(np.int64))
    away = np.hypot(*(at[some, None] - at).transpose(2, 0, 1))
    away[np.arange(len(some)), some] = np.inf
    return min(max(0.45 * float(np.median(away.min(axis=1))), _LEAST_HOLD_PX), _HOLD_PX)
