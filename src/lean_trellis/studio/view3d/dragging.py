"""What goes with the pointer over the picture: a selected part, the purge tower, a bar by a handle."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, Qt, pyqtSignal

from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.gestures import Handle, Pick, Pull, bend_of, handle_at
from lean_trellis.studio.session import Session
from lean_trellis.studio.tower_drag import TowerDrag
from lean_trellis.studio.view3d.picking import PickingView


@dataclass
class Press:
    """A button that is held: where and on what it was pressed, and what has become of it since."""

    at: QPointF
    last: QPointF
    button: Qt.MouseButton
    pick: Pick
    dragging: bool = False
    handle: Handle | None = None


class DraggingView(PickingView):
    """The part of the 3D view that moves things with the pointer."""

    part_dragged = pyqtSignal(str, float, float)
    pointed = pyqtSignal(str)
    pulled = pyqtSignal(object)
    may_drag_parts: bool
    may_drag_tower: bool
    tower: TowerDrag
    _session: Session

    def _take_hold(self, press: Press) -> None:
        """What was pressed on is taken: a bar by its handle, or the purge tower where nothing stands before it."""
        pick = press.pick
        if self.gesture == "pull" and pick.support and pick.bar >= 0 and pick.place is not None:
            bars = self._session.bars(self._session.job.support(pick.support))
            press.handle = None if bars is None else handle_at(bars, pick.bar, pick.place[2])
        is_free = press.button == Qt.MouseButton.LeftButton and not (pick.part or pick.support or self.gesture)
        there = self.on_level(press.at, 0.0) if self.may_drag_tower and is_free else None
        if there is not None:
            self.tower.begin(float(there[0]), float(there[1]))

    def _drags(self, press: Press, at: QPointF) -> bool:
        """What was taken goes with the pointer. False where nothing was: then the eye moves."""
        if press.handle is not None:
            self._pull(press, at, is_over=False)
        elif self.tower.is_on:
            self._drag_tower(at)
        elif self._drags_part(press):
            self._drag_part(press, at)
        else:
            return False
        return True

    def _let_go(self, press: Press, at: QPointF) -> None:
        """What was dragged stays where it is now."""
        if press.handle is not None:
            self._pull(press, at, is_over=True)
        elif self.tower.is_on:
            self._drag_tower(at)
            self.tower.end()
            self.scene.shift_tower(0.0, 0.0)
        elif self._drags_part(press):
            moved = self._drag_part(press, at)
            if moved is not None:
                part = self._session.job.part(press.pick.part)
                self.part_dragged.emit(part.id, part.pose.x + moved[0], part.pose.y + moved[1])

    def _drop(self) -> None:
        """What is dragged goes back to where it was."""
        self.tower.drop()
        self.scene.shift_tower(0.0, 0.0)

    def _drag_tower(self, at: QPointF) -> None:
        there = self.on_level(at, 0.0)
        if there is not None:
            self.tower.move(float(there[0]), float(there[1]))
        zone = self.tower.zone
        if zone is not None:
            self.scene.shift_tower(*self.tower.step)
            self.pointed.emit(f"{zone.name}: x {UNITS.number(zone.x, 2)}  y {UNITS.length(zone.y)}")

    def _drags_part(self, press: Press) -> bool:
        is_left = press.button == Qt.MouseButton.LeftButton
        return (
            self.may_drag_parts
            and is_left
            and press.pick.part in self._session.selection.parts
            and bool(press.pick.part)
        )

    def _drag_part(self, press: Press, at: QPointF) -> tuple[float, float] | None:
        """How far the part goes with the pointer, along the level at which it was taken."""
        z = press.pick.place[2] if press.pick.place else 0.0
        begin, now = self.on_level(press.at, z), self.on_level(at, z)
        if begin is None or now is None:
            return None
        dx, dy = float(now[0] - begin[0]), float(now[1] - begin[1])
        part = self._session.job.part(press.pick.part)
        self.scene.shift_part(part, dx, dy)
        self.pointed.emit(f"x {UNITS.number(part.pose.x + dx, 2)}  y {UNITS.length(part.pose.y + dy)}")
        return dx, dy

    def _pull(self, press: Press, at: QPointF, *, is_over: bool) -> None:
        """A bar goes with the pointer: support points over the surface, feet on the plate, bends at their level."""
        support, bar, handle = press.pick.support, press.pick.bar, press.handle
        bars = self._session.bars(self._session.job.support(support))
        if bars is None or bar >= len(bars) or handle is None:
            return
        face, place = -1, None
        if handle == "hold":
            with self.scene.bars_out_of_the_way():
                pick = self.pick_at(at)
            if pick.part == self._session.job.support(support).part_id:
                face, place = pick.face, pick.place
        else:
            level = 0.0 if handle == "foot" else bend_of(bars, bar)[2]
            there = self.on_level(at, level)
            if there is not None:
                x, y, z = there.tolist()
                place = (x, y, z)
        if place is not None:
            self.pulled.emit(Pull(support, bar, handle, place, face, is_over))
