"""Turning: by degrees, a face down or at an angle, level by points or by a patch, mirrored."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtWidgets import QPushButton

from lean_trellis.core.job.edits import face_to_angle, level, mirror_part, turn_parts
from lean_trellis.core.mesh.patch import plane_through
from lean_trellis.studio.errands import level_patch
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, number_row, row
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.gestures import Pick
from lean_trellis.studio.messages import ShowPoints
from lean_trellis.studio.session import Session

_FRAMES = [("plate", "the plate's axes"), ("own", "its own axes")]
_PIVOTS = [("each", "each part's middle"), ("together", "their common middle"), ("plate", "the plate's middle")]
_MODES = (
    ("down", "Face down", "Click the face that should face the plate. Escape ends."),
    ("angle", "Face at angle", "Click the face to bring to this angle to the plate. Escape ends."),
    ("points", "3 points", "Click three points: their plane is made level. Escape ends."),
    ("patch", "Patch", "Click a smooth patch: its best-fit plane is made level. Escape ends."),
)


class TurnSection(Section):
    """Turn by degrees."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Turn")
        self.degrees = NumberField("°")
        self.degrees.setObjectName("pose.degrees")
        self.degrees.show_value(90)
        self.body.addWidget(
            number_row("Angle", self.degrees, help_text="Counter-clockwise, seen from the tip of the axis.")
        )
        self.frame, self.pivot = ChoiceField(), ChoiceField()
        self.frame.setObjectName("pose.frame")
        self.pivot.setObjectName("pose.pivot")
        self.frame.offer(_FRAMES, "plate")
        self.pivot.offer(_PIVOTS, "each")
        self.body.addWidget(row("About", self.frame, 1))
        self.body.addWidget(row("Pivot", self.pivot, 1))
        for choice in (self.frame, self.pivot):
            choice.setMinimumContentsLength(20)
        self.turns: list[QPushButton] = []
        for axis in "xyz":
            for sign in (-1, 1):
                made = button(f"{'−' if sign < 0 else '+'}{axis.upper()}", partial(self._turn, axis, sign),
                              f"Turn about {axis.upper()} {'against' if sign < 0 else 'with'} the sense of the axis",
                              name=f"pose.turn.{'minus' if sign < 0 else 'plus'}.{axis}")  # fmt: skip
                made.setProperty("role", "narrow")
                self.turns.append(made)
        self.body.addWidget(row(*self.turns, spacing=4))
        self.mirrors = [
            button(f"in {axis.upper()}", partial(self._mirror, axis), name=f"pose.mirror.{axis}") for axis in "xyz"
        ]
        self.body.addWidget(row("Mirror", *self.mirrors, 1, spacing=6))

    def _turn(self, axis: str, sign: int) -> None:
        self.degrees._take()
        if self.selected:
            degrees = sign * self.degrees.value
            frame, pivot = str(self.frame.currentData()), str(self.pivot.currentData())
            self.session.do(
                lambda job: turn_parts(job, self.selected, axis, degrees, frame=frame, pivot=pivot)  # type: ignore[arg-type]
            )

    def _mirror(self, axis: str) -> None:
        if self.part is not None:
            self.session.do(lambda job: mirror_part(job, self.session.selection.part, axis))

    def refresh(self) -> None:
        """Only with a current part."""
        for widget in (self.degrees, *self.turns, *self.mirrors):
            widget.setEnabled(self.part is not None)


class LayDownSection(Section):
    """Faces and patches that are selected in the view."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Lay down and level")
        self.modes = ModeButtons(_MODES, "pose.mode", per_row=3)
        self.modes.changed.connect(lambda _: self._forget_points())
        self.body.addWidget(self.modes)
        self.angle = NumberField("°")
        self.angle.setObjectName("pose.angle")
        self.angle.show_value(45)
        self.body.addWidget(number_row("Angle to the plate", self.angle, help_text="0 faces down, 90 is a wall."))
        self._points: list[np.ndarray] = []
        self._points_of = ""

    def _forget_points(self) -> None:
        self._points = []
        self.asks.emit(ShowPoints(()))

    def take_pick(self, pick: Pick) -> bool:
        """What a click does in the mode that is on."""
        mode = self.modes.mode
        if not mode or not pick.part:
            return False
        self.session.select(parts=(pick.part,))
        part = self.session.job.part(pick.part)
        if mode in ("down", "angle"):
            degrees = 0.0 if mode == "down" else self.angle.value
            self.session.do(lambda job: face_to_angle(job, pick.part, pick.face, degrees))
            self.leave()
        elif mode == "patch":
            level_patch(self.session, part, pick.face)
            self.leave()
        elif pick.place is not None:
            self._take_point(pick)
        return True

    def _take_point(self, pick: Pick) -> None:
        part = self.session.job.part(pick.part)
        if pick.part != self._points_of:
            self._points, self._points_of = [], pick.part
        self._points.append(part.pose.to_part(part.mesh, np.array([pick.place]))[0])
        places = part.pose.to_plate(part.mesh, np.array(self._points)).tolist()
        self.asks.emit(ShowPoints(tuple((x, y, z) for x, y, z in places)))
        self.modes.say(f"{len(self._points)} of 3 points. Escape ends.")
        if len(self._points) < 3:
            return
        plane = plane_through(np.array(self._points))
        if plane is None:
            self.session.said.emit("stop", "The three points lie in a line; click others")
            self._points = []
            return
        self.session.do(lambda job: level(job, part.id, plane))
        self.leave()

    def leave(self) -> None:
        """The mode ends."""
        self.modes.end()

    def refresh(self) -> None:
        """Only with parts on the plate."""
        self.modes.allow(bool(self.session.job.parts))
