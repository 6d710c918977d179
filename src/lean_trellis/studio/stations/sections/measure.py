"""Measuring in the view: a distance, a wall, a circle; and the scale that makes it come out as wanted."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import pyqtSignal

from lean_trellis.core.mesh.measuring import circle_through
from lean_trellis.studio.forms.fields import figure
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.part_requests import MeasureWall
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.section import Section
from lean_trellis.studio.view3d.view import Pick

_MODES = (
    ("distance", "Distance", "Click two places. Escape ends."),
    ("wall", "Wall", "Click a place: the wall straight behind it is measured. Escape ends."),
    ("circle", "Circle", "Click three places round a bore or a pin. Escape ends."),
)
_NEEDED = {"distance": 2, "wall": 1, "circle": 3}


class MeasureSection(Section):
    """Measures stay until the next one; what was measured last is offered for the scale."""

    measured = pyqtSignal(float)

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Measure", is_open=False)
        self.modes = ModeButtons(_MODES, "measure")
        self.modes.changed.connect(lambda _: self._begin())
        self.body.addWidget(self.modes)
        self.words = figure()
        self.words.hide()
        self.body.addWidget(self.words)
        self._picks: list[Pick] = []

    def _begin(self) -> None:
        self._picks = []
        if self.modes.mode:
            self.asks.emit("points", [])

    def take_pick(self, pick: Pick) -> bool:
        """A click in the mode that is on."""
        mode = self.modes.mode
        if not mode or not pick.part or pick.place is None:
            return False
        self._picks.append(pick)
        self.asks.emit("points", [known.place for known in self._picks])
        if len(self._picks) == _NEEDED[mode]:
            self._measure(mode, np.array([known.place for known in self._picks]))
            self._picks = []
        return True

    def _measure(self, mode: str, places: np.ndarray) -> None:
        if mode == "distance":
            step = places[1] - places[0]
            length = float(np.linalg.norm(step))
            x, y, z = np.abs(step).tolist()
            self._say(f"{length:.3f} mm apart; in X {x:.3f}, in Y {y:.3f}, in Z {z:.3f}", length)
        elif mode == "circle":
            circle = circle_through(places)
            if circle is None:
                self.session.said.emit("stop", "The three places lie in a line; click others")
                return
            self._say(f"diameter {2 * circle.radius:.3f} mm", 2 * circle.radius)
        else:
            pick = self._picks[0]
            part = self.session.job.part(pick.part)
            place = part.pose.to_part(part.mesh, places[:1])[0]
            x, y, z = place.tolist()
            self.session.ask(f"Measuring {part.name}", MeasureWall(part.mesh, pick.face, (x, y, z)), self._wall)

    def _wall(self, thickness: float) -> None:
        if np.isfinite(thickness):
            self._say(f"wall {thickness:.3f} mm", thickness)
        else:
            self.session.said.emit("stop", "Nothing lies behind that place: the mesh is open")

    def _say(self, words: str, length: float) -> None:
        self.words.setText(words)
        self.words.show()
        self.measured.emit(length)

    def end_mode(self) -> bool:
        """Escape: measuring ends. True when it was on."""
        return self.modes.end()

    def leave(self) -> None:
        """Nothing stays marked."""
        self.modes.end()
        self.asks.emit("points", [])

    def refresh(self) -> None:
        """Only with parts on the plate."""
        self.modes.allow(bool(self.session.job.parts))
