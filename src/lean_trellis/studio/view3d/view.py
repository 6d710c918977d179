"""The 3D view as a widget: mouse and keys in, picks and drags out."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget
from vtkmodules.vtkCommonSystem import vtkTimerLog
from vtkmodules.vtkInteractionStyle import vtkInteractorStyleUser
from vtkmodules.vtkRenderingCore import vtkCellPicker, vtkLight, vtkRenderer

from lean_trellis.core.mesh.faults import MeshFault
from lean_trellis.core.supports import Bars
from lean_trellis.studio.forms.qt import single_shot
from lean_trellis.studio.gestures import Pick
from lean_trellis.studio.session import Session
from lean_trellis.studio.shown import MOST_SHOWN
from lean_trellis.studio.theme import Tokens, rgb
from lean_trellis.studio.tower_drag import TowerDrag
from lean_trellis.studio.view3d.camera import DIRECTIONS, Eye
from lean_trellis.studio.view3d.canvas import Canvas
from lean_trellis.studio.view3d.dragging import DraggingView, Press
from lean_trellis.studio.view3d.scene import Scene
from lean_trellis.studio.view3d.trail import Trail, circle
from lean_trellis.studio.view3d.warm_up import WarmUp

_DRAG_STARTS_AT = 4
_SAMPLES = 4
_HOVER_MS = 60
_AFTER_ASKING_MS = 10
_LONGEST_WAIT_S = 0.1
_FRAMES_BETWEEN_RESULTS = 3
_QUICK_FRAME_S = 0.015


class BuildView(DraggingView):
    """The canvas with its mouse.

    Left: pick, drag a part where that is allowed, else turn. Middle or Shift+left: pan. Wheel: zoom at the pointer.
    """

    selected = pyqtSignal(object, bool)
    drawn = pyqtSignal(str, list)
    """A gesture of the current tool has ended: its name, and the picks of a brush or the area of a band or lasso."""
    hovered = pyqtSignal(object)
    """What the pointer rests over, while the current tool asks for it."""
    looked_from = pyqtSignal(object)
    """The eye has moved, and not because it follows another."""

    def __init__(self, session: Session, tokens: Tokens, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.may_drag_parts = self.may_drag_tower = False
        self.tower = TowerDrag(session)
        self._eye, self._is_finished = Eye(), False
        self.gesture = ""
        self.hovers = False
        self.brush_mm = 3.0
        self._hover = single_shot(self, _HOVER_MS)
        self._hover_at = QPointF()
        self._hover.timeout.connect(lambda: self.hovered.emit(self.pick_at(self._hover_at)))
        self._trail: list[QPointF] = []
        self._brushed: list[Pick] = []
        self._press: Press | None = None
        self._before_below: Eye | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.canvas: Any = Canvas(self)  # VTK's widget has no types
        layout.addWidget(self.canvas)
        vtkTimerLog.LoggingOff()  # of what it notes of each frame nothing is read
        self.renderer = vtkRenderer()
        window = self.canvas.GetRenderWindow()
        window.AddRenderer(self.renderer)
        self._overlay = vtkRenderer()
        self._overlay.SetLayer(1)
        self._overlay.SetActiveCamera(self.renderer.GetActiveCamera())
        window.SetNumberOfLayers(2)
        window.AddRenderer(self._overlay)
        self.canvas.SetInteractorStyle(vtkInteractorStyleUser())
        self._lights()
        self.scene = Scene(self.renderer, self._overlay, session, tokens)
        self._shown_trail = Trail(self._overlay, tokens.ivy)
        self.set_tokens(tokens)
        self.canvas.installEventFilter(self)
        self.canvas.setMouseTracking(True)
        self.canvas.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self._picker = vtkCellPicker()
        self._picker.SetTolerance(0.0005)
        self._redraw = single_shot(self, 0)
        self._redraw.timeout.connect(self._draw)
        self._later = single_shot(self, _AFTER_ASKING_MS)
        self._later.timeout.connect(self._redraw.start)
        self.canvas.exposed.connect(self._redraw.start)
        self._frame_s = 0.0
        self.warm_up = WarmUp(self.renderer, self._draw, self)
        self._smooth = single_shot(self, 250)
        self._smooth.timeout.connect(self._draw_smooth)
        session.job_changed.connect(self.refresh)
        session.derived_changed.connect(self.take_results)
        session.selection_changed.connect(self.refresh)

    def _lights(self) -> None:
        """Soft light from above and below, both moving with the eye."""
        self.renderer.AutomaticLightCreationOff()
        for place, strength in (((0.4, 0.8, 1.0), 0.78), ((-0.6, -0.7, 0.5), 0.34)):
            light = vtkLight()
            light.SetLightTypeToCameraLight()
            light.SetPosition(*place)
            light.SetIntensity(strength)
            self.renderer.AddLight(light)

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        self.renderer.SetBackground(*rgb(tokens.ground))
        self.scene.set_tokens(tokens)

    def start(self, *, warms_up: bool = True) -> None:
        """Begin to draw, once the window is shown. Warming up, after the first frame, spares the first part a pause."""
        self.canvas.Initialize()
        self.canvas.Start()
        self.fit()
        if not self.draws_in_software():
            self._session.most_shown = MOST_SHOWN
        if warms_up:
            self._draw()
            self.warm_up.begin(*self.scene.bounds(), [_SAMPLES, 0])

    def draws_in_software(self) -> bool:
        """Whether Mesa draws on the processor: then less is shown at once."""
        words = self.canvas.GetRenderWindow().ReportCapabilities().lower()
        return any(name in words for name in ("llvmpipe", "softpipe", "swrast", "software"))

    def refresh(self) -> None:
        """Bring the scene in step with the session and draw soon: first the worker gets its requests."""
        self._update_and_draw(min(self._frame_s, _LONGEST_WAIT_S))

    def take_results(self) -> None:
        """As `refresh`, while results come in: what takes long to draw is drawn less often, for they wait for it."""
        self._update_and_draw(min(_FRAMES_BETWEEN_RESULTS * self._frame_s, 2 * _LONGEST_WAIT_S))

    def _update_and_draw(self, wait_s: float) -> None:
        self.scene.update()
        wait = _AFTER_ASKING_MS + round(1000 * wait_s)
        if not self._later.isActive() or self._later.remainingTime() > wait:
            self._later.start(wait)

    def _draw(self, samples: int = 0) -> None:
        """Draw without smoothing while things move; a moment later once more with it, where that is quick."""
        if self._is_finished or not self.canvas.isVisible() or self.canvas.width() <= 1:
            return
        window = self.canvas.GetRenderWindow()
        window.SetMultiSamples(samples)
        self.aim()
        begin = time.perf_counter()
        window.Render()
        if samples == 0:
            self._frame_s = time.perf_counter() - begin
            self._smooth.start()

    def aim(self) -> None:
        """Bring the camera to where the eye is, without drawing."""
        camera = self.renderer.GetActiveCamera()
        self.eye.apply(camera)
        self.scene.look_from(camera.GetPosition()[2])
        self.renderer.ResetCameraClippingRange()

    def _draw_smooth(self) -> None:
        if self.scene.is_moving:
            self.scene.move(is_moving=False)
            self._draw()
        elif self._frame_s < _QUICK_FRAME_S:
            self._draw(_SAMPLES)

    def draw_now(self) -> None:
        """Draw at once and smoothly; for pictures."""
        self.scene.move(is_moving=False)
        self.scene.update()
        self._later.stop()
        self._redraw.stop()
        self._smooth.stop()
        self._draw(_SAMPLES)

    # --- the eye ---

    @property
    def eye(self) -> Eye:
        """Where we look from."""
        return self._eye

    @eye.setter
    def eye(self, eye: Eye) -> None:
        self._eye = eye
        self.looked_from.emit(eye)

    def follow(self, eye: Eye) -> None:
        """Look from where another view looks from."""
        if eye != self._eye:
            self._eye = eye
            self._redraw.start()

    def fit(self) -> None:
        """See everything."""
        low, high = self.scene.bounds()
        self.eye = self.eye.fitted(low, high, self.width() / max(self.height(), 1))
        self._redraw.start()

    def look(self, direction: str) -> None:
        """Look from a standard direction at everything."""
        azimuth, height = DIRECTIONS[direction]
        self.eye = Eye(self.eye.focus, azimuth, height, self.eye.distance)
        self.fit()

    def toggle_below(self) -> bool:
        """Look from below, or back to where we looked from. True when now from below."""
        if self._before_below is None:
            self._before_below = self.eye
            self.look("low")
            return True
        self.eye, self._before_below = self._before_below, None
        self._redraw.start()
        return False

    def start_anew(self) -> None:
        """Look from where a new window looks; nothing is marked."""
        self._before_below, self.eye = None, Eye()
        self.clear_mark()
        self.show_points([])

    def fly_to(self, place: tuple[float, float, float], *, is_underside: bool = True) -> None:
        """Bring a place to the middle, from below where it is an underside, from its part's outside, and mark it."""
        part = self._session.job.part_at(place)
        middle = None if part is None else part.bounds().mean(axis=0)
        self.eye = self.eye.flown_to(place, middle, is_underside=is_underside)
        self.scene.mark(place)
        self._redraw.start()

    def show_fault(self, what: tuple[str, MeshFault] | None) -> None:
        """Show the edges and faces of a part's fault through everything, or nothing."""
        self.scene.hint([] if what is None else [self.scene.fault_actor(*what)])
        self._redraw.start()

    def show_ghost(self, bars: Bars | None, *, is_way: bool = True) -> None:
        """Show a bar that would be, through everything; nothing without one."""
        self.scene.hint([] if bars is None or bars.is_empty else [self.scene.ghost_actor(bars, is_way=is_way)])
        self._redraw.start()

    def show_points(self, places: list[tuple[float, float, float]]) -> None:
        """Show places that were selected."""
        self.scene.hint([self.scene.dot_actor(place) for place in places])
        self._redraw.start()

    def clear_mark(self) -> None:
        """Take the mark away."""
        self.scene.mark(None)
        self._redraw.start()

    # --- events ---

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Take the mouse before VTK does."""
        if event is None:
            return False
        kind = event.type()
        mouse: dict[QEvent.Type, Callable[[Any], None]] = {
            QEvent.Type.MouseButtonPress: self._pressed,
            QEvent.Type.MouseMove: self._moved,
            QEvent.Type.MouseButtonRelease: self._released,
            QEvent.Type.Wheel: self._wheeled,
        }
        if kind in mouse:
            mouse[kind](event)
            return True
        if kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease):
            event.ignore()
            return True
        return super().eventFilter(watched, event)

    def _pressed(self, event: QMouseEvent) -> None:
        self.canvas.setFocus()
        is_left = event.button() == Qt.MouseButton.LeftButton
        pick = self.pick_at(event.position()) if is_left else Pick()
        self._press = Press(event.position(), event.position(), event.button(), pick)
        self._take_hold(self._press)
        if self._draws(self._press, event):
            self._trail, self._brushed = [event.position()], [pick]

    def _moved(self, event: QMouseEvent) -> None:
        press = self._press
        if press is None:
            if self.gesture == "brush":
                self._show_trail(event.position())
            if self.hovers:
                self._hover_at = event.position()
                self._hover.start()
            return
        if self._trail:
            self._trail.append(event.position())
            if self.gesture == "brush":
                self._brushed.append(self.pick_at(event.position()))
            self._show_trail(event.position())
            return
        step = event.position() - press.last
        whole = event.position() - press.at
        if not press.dragging and abs(whole.x()) + abs(whole.y()) < _DRAG_STARTS_AT:
            return
        press.dragging, press.last = True, event.position()
        if self._drags(press, event.position()):
            pass
        elif press.button == Qt.MouseButton.MiddleButton or event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._move_eye(self.eye.panned(step.x(), step.y(), self.canvas.height()))
        else:
            self._move_eye(self.eye.orbited(step.x(), step.y()))
        self._redraw.start()

    def _move_eye(self, eye: Eye) -> None:
        """The eye goes on moving: what is heavy is shown lightly until it rests."""
        self.eye = eye
        self.scene.move(is_moving=True)
        self._redraw.start()

    def _released(self, event: QMouseEvent) -> None:
        press, self._press = self._press, None
        if press is None:
            return
        if self._trail:
            self._end_trail()
            return
        if not press.dragging:
            self.tower.drop()
            if press.button == Qt.MouseButton.LeftButton:
                adds = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
                self.selected.emit(press.pick, adds)
            return
        self._let_go(press, event.position())

    # --- gestures of a tool ---

    def _draws(self, press: Press, event: QMouseEvent) -> bool:
        """Whether the left button draws with the current tool; with Shift, and with other buttons, the eye moves."""
        is_plain = not event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        return self.gesture in ("box", "lasso", "brush") and press.button == Qt.MouseButton.LeftButton and is_plain

    def _show_trail(self, at: QPointF) -> None:
        flat = [self._display_point(place) for place in self._trail]
        if self.gesture == "box" and flat:
            (x0, y0), (x1, y1) = flat[0], flat[-1]
            flat = [(x0, y0), (x1, y0), (x1, y1), (x0, y1), (x0, y0)]
        elif self.gesture == "lasso" and flat:
            flat.append(flat[0])
        lines = [np.array(flat)] if flat else []
        if self.gesture == "brush":
            lines.append(circle(self._display_point(at), self._brush_pixels(at)))
        self._shown_trail.show(lines)
        self._redraw.start()

    def _end_trail(self) -> None:
        trail, self._trail = self._trail, []
        brushed, self._brushed = self._brushed, []
        self._shown_trail.show([])
        self._redraw.start()
        if self.gesture == "brush":
            self.drawn.emit("brush", brushed)
            return
        width, height = self.canvas.width(), self.canvas.height()
        flat = [(2 * p.x() / width - 1, 1 - 2 * p.y() / height) for p in trail]
        if self.gesture == "box":
            (x0, y0), (x1, y1) = flat[0], flat[-1]
            flat = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
        self.drawn.emit(self.gesture, flat)

    def end_gesture(self) -> None:
        """Discard the gesture that was started."""
        self._trail, self._brushed = [], []
        self._shown_trail.show([])
        self._drop()
        self._redraw.start()

    def _wheeled(self, event: QWheelEvent) -> None:
        factor = 1.18 ** (event.angleDelta().y() / 120)
        at = self.pick_at(event.position()).place
        place: Any = np.array(at) if at is not None else self.on_level(event.position(), 0)
        self._move_eye(self.eye.zoomed(factor, place))

    def finish(self) -> None:
        """Let go of VTK's window before the widget goes. Whatever still comes in draws nothing more."""
        self._is_finished = True
        for timer in (self._redraw, self._later, self._smooth, self._hover):
            timer.stop()
        self.canvas.removeEventFilter(self)
        self.canvas.Finalize()
