"""Measuring in the view, at every station: a distance, a wall, a circle, a bore."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from lean_trellis.core.mesh.measuring import Cylinder, circle_through
from lean_trellis.studio.forms.fields import figure
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.gestures import Pick
from lean_trellis.studio.part_requests import MeasureBore, MeasureWall
from lean_trellis.studio.session import Session

_MODES = (
    ("distance", "Distance", "Click two places."),
    ("wall", "Wall", "Click a place: the wall straight behind it is measured."),
    ("circle", "Circle", "Click three places round a rim."),
    ("bore", "Bore or pin", "Click its wall: the cylinder that fits best is measured."),
)
_NEEDED = {"distance": 2, "wall": 1, "circle": 3, "bore": 1}


class MeasureBar(QWidget):
    """A strip under the view. What was measured last stays, and is offered for the scale."""

    measured = pyqtSignal(float)
    shows_points = pyqtSignal(list)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.modes = ModeButtons(_MODES, "measure", in_line=True)
        self.modes.changed.connect(lambda _: self._begin())
        self.words = figure()
        self.words.setWordWrap(False)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(8, 4, 8, 4)
        layout.addWidget(self.modes, 1)
        layout.addWidget(self.words)
        self._picks: list[Pick] = []

    def begin(self) -> None:
        """Shown: measure distances until another measure is chosen."""
        if not self.modes.mode:
            self.modes.buttons["distance"].setChecked(True)

    def _begin(self) -> None:
        self._picks = []
        if self.modes.mode:
            self.shows_points.emit([])

    def take_pick(self, pick: Pick) -> bool:
        """A click in the mode that is on."""
        mode = self.modes.mode
        if not mode or not pick.part or pick.place is None:
            return False
        self._picks.append(pick)
        self.shows_points.emit([known.place for known in self._picks])
        if len(self._picks) == _NEEDED[mode]:
            self._measure(mode, np.array([known.place for known in self._picks]))
            self._picks = []
        return True

    def _measure(self, mode: str, places: np.ndarray) -> None:
        if mode == "distance":
            step = places[1] - places[0]
            length = float(np.linalg.norm(step))
            x, y, z = np.abs(step).tolist()
            along = ", ".join(f"{axis} {UNITS.number(step, 3)}" for axis, step in (("x", x), ("y", y), ("z", z)))
            self._say(f"{UNITS.length(length, 3)} apart ({along})", length)
        elif mode == "circle":
            circle = circle_through(places)
            if circle is None:
                self.session.said.emit("stop", "The three places lie in a line; click others")
                return
            self._say(f"diameter {UNITS.length(2 * circle.radius, 3)}", 2 * circle.radius)
        else:
            self._measure_part(mode, self._picks[0])

    def _measure_part(self, mode: str, pick: Pick) -> None:
        part = self.session.job.part(pick.part)
        if mode == "bore":
            self.session.ask(f"Measuring {part.name}", MeasureBore(part.mesh, pick.face), self._bore)
            return
        x, y, z = part.pose.to_part(part.mesh, np.array([pick.place]))[0].tolist()
        self.session.ask(f"Measuring {part.name}", MeasureWall(part.mesh, pick.face, (x, y, z)), self._wall)

    def _bore(self, fitted: Cylinder | None) -> None:
        if fitted is None:
            self.session.said.emit("stop", "No cylinder fits there; click the wall of a bore or of a pin")
            return
        what = "bore" if fitted.is_hollow else "pin"
        fit = UNITS.number(fitted.worst_mm, 3)
        self._say(f"{what} {UNITS.length(2 * fitted.radius, 3)}, fits to {fit}", 2 * fitted.radius)

    def _wall(self, thickness: float) -> None:
        if np.isfinite(thickness):
            self._say(f"wall {UNITS.length(thickness, 3)}", thickness)
        else:
            self.session.said.emit("stop", "Nothing lies behind that place: the mesh is open")

    def _say(self, words: str, length: float) -> None:
        self.words.setText(words)
        self.modes.say("")
        self.measured.emit(length)

    def end_mode(self) -> bool:
        """Escape: measuring ends. True when it was on."""
        return self.modes.end()

    def refresh(self) -> None:
        """Only with parts on the plate."""
        self.modes.allow(bool(self.session.job.parts))
