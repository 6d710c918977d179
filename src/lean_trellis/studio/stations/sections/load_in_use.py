"""The direction of the main load in use: layers hold together less than what is built in one go."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.job.edits import lay_load_flat, name_load
from lean_trellis.studio.forms.fields import ChoiceField, muted, row
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.session import Session

_WAYS = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}


class LoadSection(Section):
    """Named along an axis of the plate as the part stands; it turns with the part."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Load in use", is_open=False)
        self.direction = ChoiceField()
        self.direction.setObjectName("pose.load")
        self.direction.setAccessibleName("Direction of the main load in use")
        self.direction.chosen.connect(self._name)
        self.lay = button("Lay within the layers", self._lay, "Turn the part by the least angle that does so",
                          name="pose.lay_load")  # fmt: skip
        self.said = muted()
        self.body.addWidget(row("Main load", self.direction, 1))
        self.body.addWidget(row(self.lay, 1))
        self.body.addWidget(self.said)

    def _name(self, key: str) -> None:
        if self.selected and key != "own":
            self.session.do(lambda job: name_load(job, self.selected, _WAYS.get(key)))

    def _lay(self) -> None:
        part = self.part
        if part is not None:
            self.session.do(lambda job: lay_load_flat(job, part.id))

    def refresh(self) -> None:
        """Show the load of the current part."""
        part = self.part
        self.direction.setEnabled(part is not None)
        self.lay.setEnabled(part is not None and part.load is not None)
        choices = [("", "not named"), ("x", "along X"), ("y", "along Y"), ("z", "along Z, upwards")]
        if part is None or part.load is None:
            self.direction.offer(choices, "")
            self.said.setText("Name it, and Release says where layers would be pulled apart.")
            return
        way = part.pose.matrix @ np.array(part.load)
        key = next((key for key, axis in _WAYS.items() if abs(float(way @ np.array(axis))) > 1 - 1e-6), "own")
        self.direction.offer([*choices, ("own", "as named, turned")], key)
        across = abs(float(way @ np.array(self.session.job.machine.layer_normal)))
        self.said.setText(f"It runs {np.degrees(np.arcsin(min(across, 1.0))):.0f}° across the layers.")
