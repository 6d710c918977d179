"""The underside map as a widget: pan, zoom, pick, rubber band, brush; what is selected here is selected everywhere."""

from __future__ import annotations

import math
import time
from dataclasses import replace
from typing import Any, Literal

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.supports import Bars
from lean_trellis.studio.forms.qt import single_shot
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.gestures import Pull
from lean_trellis.studio.session import Session
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.underside.frame import MapFrame
from lean_trellis.studio.underside.handles import DOT_PX, grip_at, region_at, regions_within, thinned
from lean_trellis.studio.underside.kept_picture import KeptPicture
from lean_trellis.studio.underside.key import MapKey, occurring
from lean_trellis.studio.underside.painting import (
    MapLook,
    paint_front,
    paint_ghost,
    paint_parts,
    paint_plate,
    paint_rulers,
    paint_separators,
    paint_solids,
    paint_supports,
)
from lean_trellis.studio.underside.sheet import RegionShape, UndersideSheet
from lean_trellis.studio.underside.solid_sheet import grips, paint_grips, wall_near

Gesture = Literal["", "click", "box", "lasso", "brush", "line", "pull"]
_DRAG_STARTS_AT = 4
_REACH_PX = 7.0
_SMOOTH_AFTER_MS = 160
_STEP_MM = 0.4


class UndersideMap(QWidget):
    """Left: pick, Ctrl adds; drag a band to pick what lies in it. Middle or right and move: pan. Wheel: zoom."""

    pointed = pyqtSignal(str)
    hovered = pyqtSignal(object)
    """Where the pointer rests, (x, y) on the plate, while the current tool asks for it."""
    pulled = pyqtSignal(object)
    bar_selected = pyqtSignal(str, object, bool)
    drawn = pyqtSignal(str, list)
    """A gesture of the current tool has ended: its name, and its places on the plate as (x, y), mm."""

    def __init__(self, session: Session, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._tokens = session, tokens
        self.sheet = UndersideSheet(session)
        self.frame = MapFrame()
        self.gesture: Gesture = ""
        self.hovers = self.picks_bars = False
        self._ghost: tuple[Bars, bool] | None = None
        self._grip: Pull | None = None
        self.brush_mm = 3.0
        self.shows_supports = True
        self.frame_s = 0.0
        self._follows = True
        """Whether everything stays in sight, as long as nobody has moved the map."""
        self._signs: frozenset[str] = frozenset()
        self._key = MapKey()
        self._kept = KeptPicture()
        self._anew = single_shot(self, 0)
        self._anew.timeout.connect(self._draw_anew)
        self._press: QPointF | None = None
        self._last = QPointF()
        self._pans = False
        self._trail: list[QPointF] = []
        self._pointer: QPointF | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMinimumHeight(120)
        self._smooth = single_shot(self, _SMOOTH_AFTER_MS)
        self._smooth.timeout.connect(self._draw_smoothly)
        self._is_rough = False
        for signal in (session.job_changed, session.derived_changed, session.selection_changed):
            signal.connect(self.refresh)
        session.file_changed.connect(self.show_all)

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self._tokens = tokens
        self.refresh()

    def show_all(self) -> None:
        """Everything is shown, and stays in the picture whatever comes."""
        self._follows = True
        self.refresh()

    def refresh(self) -> None:
        """Draw anew what changed."""
        self._kept.is_stale = True
        if self._follows:
            self.fit()
        if self.isVisible():
            self.update()

    # --- what is seen ---

    def fit(self) -> None:
        """See all parts, or the plate when there are none."""
        boxes = [part.bounds()[:, :2] for part in self._session.job.parts if not part.is_hidden]
        plate = self._session.job.machine.plate
        if boxes:
            low, high = np.min([box[0] for box in boxes], axis=0), np.max([box[1] for box in boxes], axis=0)
        else:
            low, high = np.zeros(2), np.array([plate.width, plate.depth])
        self._take_frame(MapFrame.fitted(low, high, self.width(), self.height()))
        self._follows = True

    def fly_to(self, x: float, y: float) -> None:
        """Bring a place to the middle, near enough to see it."""
        scale = max(self.frame.scale, 8.0)
        self._take_frame(MapFrame(scale, self.width() / 2 - scale * x, self.height() / 2 - scale * y))

    def _take_frame(self, frame: MapFrame) -> None:
        self._follows = False
        if frame == self.frame:
            return
        self.frame = frame
        self._is_rough = True
        self._smooth.start()
        self.update()

    def _draw_smoothly(self) -> None:
        self._is_rough = False
        self.update()

    def look(self) -> MapLook:
        """How the map is drawn now."""
        session = self._session
        return MapLook(
            self._tokens,
            session.selection.part,
            session.selection.regions,
            session.selection.support,
            self._selected_holds(),
            {part.id: session.job.critical_angle(part) for part in session.job.parts},
            self.shows_supports,
            session.selection.bars,
        )

    def _selected_holds(self) -> Any:
        """(k, 2): where the selected bars touch the part."""
        support, chosen = self._session.support, sorted(self._session.selection.bars)
        bars = None if support is None else self._session.bars(support)
        if bars is None:
            return np.zeros((0, 2))
        return bars.holds[[number for number in chosen if number < len(bars)], :2]

    # --- painting ---

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """The kept picture, then what moves over it."""
        begin = time.perf_counter()
        if self._kept.is_stale or not (self._is_rough or self._kept.is_of(self.frame, self.size())):
            self._anew.start()  # a turn of its own: what else is painted now need not wait for it
        painter = QPainter(self)
        self._kept.paint(painter, self.frame, self.rect(), QColor(self._tokens.ground))
        paint_rulers(painter, self.frame, self.width(), self.height(), self._tokens)
        self._key.paint(painter, self.width(), self.height(), self._tokens, self._signs)
        self._paint_gesture(painter)
        self.frame_s = time.perf_counter() - begin

    def _draw_anew(self) -> None:
        """Draw the picture that is kept."""
        if self.isVisible():
            self._kept.take(self._pictures(), self.frame, self.size())
            self._signs = occurring(self.sheet.parts(), self.sheet.supports() if self.shows_supports else [])
            self.update()

    def _pictures(self) -> QPixmap:
        ratio = self.devicePixelRatioF()
        picture = QPixmap(math.ceil(self.width() * ratio), math.ceil(self.height() * ratio))
        picture.setDevicePixelRatio(ratio)
        painter = QPainter(picture)
        painter.setFont(self.font())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.paint_all(painter, self.frame, QRectF(self.rect()))
        painter.end()
        return picture

    @property
    def machine(self) -> Machine:
        """The machine whose plate is drawn."""
        return self._session.job.machine

    def paint_all(self, painter: QPainter, frame: MapFrame, visible: QRectF) -> None:
        """Plate, parts and supports, without what belongs to the screen alone."""
        machine, look = self.machine, self.look()
        paint_plate(painter, frame, machine, self._tokens, visible)
        paint_parts(painter, frame, self.sheet.parts(), look, visible)
        paint_separators(painter, frame, self.sheet.separators(), self._tokens)
        paint_solids(painter, frame, self.sheet.solids(self._tokens), look)
        paint_supports(painter, frame, self.sheet.supports(), look, visible)
        paint_front(painter, visible, self._tokens)

    def show_ghost(self, bars: Bars | None, *, is_way: bool = True) -> None:
        """Show a bar that would be; nothing without one."""
        self._ghost = None if bars is None or not len(bars) else (bars, is_way)
        self.update()

    def _paint_gesture(self, painter: QPainter) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._ghost is not None:
            paint_ghost(painter, self.frame, *self._ghost, self._tokens)
        if self.gesture == "pull":
            handles = grips(self._session)
            if self._grip is not None and self._pointer is not None:
                at = (*self.frame.to_plate(self._pointer.x(), self._pointer.y()), 0.0)
                handles = [replace(h, place=at) if h.bar == self._grip.bar else h for h in handles]
            paint_grips(painter, self.frame, handles, self._tokens)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        ivy = QColor(self._tokens.ivy)
        if self.gesture == "brush" and self._pointer is not None:
            radius = self.brush_mm / 2 * self.frame.scale
            wash = QColor(ivy)
            wash.setAlpha(90)
            pen = QPen(wash, 2 * radius)
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            if self._trail:
                painter.setPen(pen)
                painter.drawPolyline(QPolygonF(self._trail if len(self._trail) > 1 else self._trail * 2))
            painter.setPen(QPen(ivy, 1.4))
            painter.drawEllipse(self._pointer, radius, radius)
        elif len(self._trail) > 1:
            wash = QColor(ivy)
            wash.setAlpha(40)
            painter.setPen(QPen(ivy, 1.4))
            painter.setBrush(wash)
            if self.gesture == "line":
                painter.drawLine(self._trail[0], self._trail[-1])
            elif self.gesture == "lasso":
                painter.drawPolygon(QPolygonF(self._trail))
            else:
                painter.drawRect(QRectF(self._trail[0], self._trail[-1]).normalized())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The middle stays in the middle; everything stays in sight while nobody has moved the map."""
        super().resizeEvent(event)
        if event is None:
            return
        if self._follows or event.oldSize().width() <= 0:
            self.fit()
            return
        step = event.size() - event.oldSize()
        self._take_frame(self.frame.panned(step.width() / 2, step.height() / 2))

    # --- mouse ---

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin a pick, a gesture or panning."""
        if event is None:
            return
        self._press = self._last = event.position()
        self._pans = event.button() != Qt.MouseButton.LeftButton or bool(
            event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        )
        self._grip = self._grip_at(event.position()) if self.gesture == "pull" and not self._pans else None
        self._trail = [] if self._pans or self._grip is not None else [event.position()]
        self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Pan, draw the gesture, or tell what is under the pointer."""
        if event is None:
            return
        self._pointer = event.position()
        if self._press is not None and self._pans:
            step = event.position() - self._last
            self._take_frame(self.frame.panned(step.x(), step.y()))
        elif self._press is not None and self._grip is not None:
            self._pull(event.position(), is_over=False)
        elif self._press is not None:
            self._trail.append(event.position())
        elif self.hovers:
            self.hovered.emit(self.frame.to_plate(event.position().x(), event.position().y()))
        self._last = event.position()
        self._tell(event.position())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """A click picks; a drag picks what lies in the band, or ends the gesture of the current tool."""
        if event is None or self._press is None:
            return
        press, self._press = self._press, None
        trail, self._trail = self._trail, []
        self.update()
        if self._pans:
            return
        moved = (event.position() - press).manhattanLength() >= _DRAG_STARTS_AT
        if self._grip is not None:
            if moved:
                self._pull(event.position(), is_over=True)
            elif self._grip.handle in ("hold", "foot", "bend"):
                self.bar_selected.emit(self._grip.support, frozenset({self._grip.bar}), False)
            self._grip = None
            return
        adds = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if self.gesture in ("click", "brush") or (self.gesture not in ("", "pull") and moved):
            self.drawn.emit(self.gesture, self._places(trail, event.position()))
        elif moved:
            self._pick_band(QRectF(press, event.position()).normalized(), adds=adds)
        else:
            self._pick(event.position(), adds=adds)

    def leaveEvent(self, event: Any) -> None:
        """No brush without a pointer."""
        self._pointer = None
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom at the pointer."""
        if event is not None:
            at = event.position()
            self._take_frame(self.frame.zoomed(1.18 ** (event.angleDelta().y() / 120), at.x(), at.y()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Home shows everything; other keys are the window's."""
        if event is not None and event.key() == Qt.Key.Key_Home:
            self.fit()
            return
        super().keyPressEvent(event)

    def _places(self, trail: list[QPointF], last: QPointF) -> list[tuple[float, float]]:
        """The gesture in plate coordinates; a brush's places no nearer to each other than need be."""
        places = [self.frame.to_plate(p.x(), p.y()) for p in (*trail, last)]
        if self.gesture == "box":
            (x0, y0), (x1, y1) = places[0], places[-1]
            return [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
        if self.gesture in ("line", "click"):
            return [places[0], places[-1]]
        return thinned(places, _STEP_MM if self.gesture == "lasso" else 0.3 * self.brush_mm)

    # --- picking ---

    def _pull(self, at: QPointF, *, is_over: bool) -> None:
        grip = self._grip
        assert grip is not None
        x, y = self.frame.to_plate(at.x(), at.y())
        self.pulled.emit(replace(grip, place=(x, y, grip.place[2]), is_over=is_over))

    def _grip_at(self, at: QPointF) -> Pull | None:
        """The handle of a bar under a pixel."""
        x, y = self.frame.to_plate(at.x(), at.y())
        return grip_at(self._session, x, y, self.frame.scale)

    def bar_at(self, at: QPointF) -> tuple[str, int] | None:
        """The bar whose contact is under a pixel: of the current support before the others."""
        grip = self._grip_at(at)
        return None if grip is None or grip.handle != "hold" else (grip.support, grip.bar)

    def wall_at(self, at: QPointF) -> tuple[str, int] | None:
        """The wall under a pixel, of the current support alone: elsewhere a click means the region."""
        x, y = self.frame.to_plate(at.x(), at.y())
        for sheet in self.sheet.solids(self._tokens):
            if sheet.support == self._session.selection.support:
                wall = wall_near(sheet, x, y, DOT_PX / self.frame.scale)
                return None if wall is None else (sheet.support, wall)
        return None

    def _pick(self, at: QPointF, *, adds: bool) -> None:
        bar = self.bar_at(at) if self.picks_bars and self.shows_supports else None
        if bar is not None:
            self.bar_selected.emit(bar[0], frozenset({bar[1]}), adds)
            return
        wall = self.wall_at(at) if self.picks_bars and self.shows_supports else None
        if wall is not None:
            self.bar_selected.emit(wall[0], frozenset({wall[1]}), adds)
            return
        region_here = self.region_at(at)
        session = self._session
        if region_here is None:
            if not adds:
                session.select(regions=frozenset())
            return
        part, shape = region_here
        if part != session.selection.part:
            session.select(parts=(part,), regions=frozenset({shape.region.id}))
            return
        chosen = session.selection.regions
        session.select(regions=chosen ^ {shape.region.id} if adds else frozenset({shape.region.id}))

    def region_at(self, at: QPointF) -> tuple[str, RegionShape] | None:
        """The part and region under a pixel: of several above one another the lowest."""
        x, y = self.frame.to_plate(at.x(), at.y())
        return region_at(self.sheet, x, y, _REACH_PX / self.frame.scale)

    def _pick_band(self, band: QRectF, *, adds: bool) -> None:
        """The regions of one part whose whole shape lies in the band: of the current part where it has any there."""
        x0, y0 = self.frame.to_plate(band.left(), band.top())
        x1, y1 = self.frame.to_plate(band.right(), band.bottom())
        within = regions_within(self.sheet, QRectF(x0, y0, x1 - x0, y1 - y0))
        session = self._session
        part = session.selection.part
        if not within.get(part):
            part = max(within, key=lambda key: len(within[key]), default="")
        if not part or not within[part]:
            return
        if part != session.selection.part:
            session.select(parts=(part,), regions=within[part])
            return
        session.select(regions=session.selection.regions | within[part] if adds else within[part])

    def _tell(self, at: QPointF) -> None:
        x, y = self.frame.to_plate(at.x(), at.y())
        words = f"x {UNITS.number(x, 2)}  y {UNITS.length(y)}"
        region_here = None if self._press is not None else self.region_at(at)
        if region_here is not None:
            region = region_here[1].region
            angle = f", {region.mean_angle_deg:.0f}° in the mean" if region.kind == "face" else ""
            words = f"{words}  ·  region {region.id + 1}{angle}, from {UNITS.length(region.lowest_mm)}"
        self.pointed.emit(words)

    def end_gesture(self) -> None:
        """Discard the gesture that was started."""
        self._press, self._trail, self._grip = None, [], None
        self._ghost = None
        self.update()

    def finish(self) -> None:
        """The window closes."""
        self._smooth.stop()
        self._anew.stop()
