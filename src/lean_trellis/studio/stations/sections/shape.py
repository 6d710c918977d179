"""Work on the shape: hollow with drains and vents (vat), machining allowance and cut-off (metal)."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QCheckBox

from lean_trellis.studio.errands import shape_part
from lean_trellis.studio.forms.fields import NumberField, number_row, row, rule
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.gestures import Pick
from lean_trellis.studio.part_requests import AddAllowance, AddCutOff, Drill, Hollow
from lean_trellis.studio.session import Session

_HOLES = (
    ("drain", "Place a drain", "Click where resin should drain, at the lowest place. Escape ends."),
    ("vent", "Place a vent", "Click where air should enter, away from the drain. Escape ends."),
)


class ShapeSection(Section):
    """Each is one undoable step; the section plane shows what came of it."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Hollow, allowance, cut-off", is_open=False)
        self.wall = self._field("shape.wall", 2.0, "Wall", "Thickness of the wall around the cavity.")
        self.hollow_button = button("Hollow", self._hollow, "The section plane (X) shows it", name="shape.hollow")
        self.body.addWidget(row(self.hollow_button, 1))
        self.diameter = self._field("shape.diameter", 3.5, "Hole diameter", "Of drains and vents.")
        self.plug = QCheckBox("with a plug as a part of its own")
        self.plug.setObjectName("shape.plug")
        self.body.addWidget(row(self.plug, 1))
        self.holes = ModeButtons(_HOLES, "shape")
        self.body.addWidget(self.holes)
        self.body.addWidget(rule())
        self.allowance = self._field("shape.allowance", 0.5, "Machining allowance", "On the selected faces.")
        self.allow_button = button("Add to selected faces", self._allow, "Select them by hand first, below",
                                   name="shape.allow")  # fmt: skip
        self.body.addWidget(row(self.allow_button, 1))
        self.body.addWidget(rule())
        self.cut_off = self._field("shape.cut", 3.0, "Cut-off height", "Below the lowest faces, for the saw.")
        self.cut_button = button("Add the cut-off", self._cut_off, name="shape.cut.go")
        self.body.addWidget(row(self.cut_button, 1))

    def _field(self, name: str, value: float, words: str, hint: str) -> NumberField:
        field = NumberField("mm")
        field.setObjectName(name)
        field.show_value(value)
        self.body.addWidget(number_row(words, field, help_text=hint))
        return field

    def _hollow(self) -> None:
        part = self.part
        if part is not None:
            wall = self.wall.value
            shape_part(self.session, part, Hollow(part.nominal_mesh, wall), f"Hollow {part.name}, wall {wall:g} mm")

    def _cut_off(self) -> None:
        part = self.part
        if part is not None:
            x, y, z = (-part.pose.matrix[2]).tolist()
            height = self.cut_off.value
            request = AddCutOff(part.nominal_mesh, (x, y, z), height, self.session.job.layer_height)
            shape_part(self.session, part, request, f"Cut-off of {height:g} mm under {part.name}")

    def _allow(self) -> None:
        part, faces = self.part, self.session.selected_faces
        if part is not None and len(faces):
            amount = self.allowance.value
            request = AddAllowance(part.nominal_mesh, faces, amount)
            shape_part(self.session, part, request, f"Allowance of {amount:g} mm on {part.name}")

    def take_pick(self, pick: Pick) -> bool:
        """A click in the mode that is on; the mode stays on for the next one."""
        if not pick.part or pick.place is None or not self.holes.mode:
            return False
        part = self.session.job.part(pick.part)
        kind = self.holes.mode
        place = part.pose.to_part(part.mesh, np.array([pick.place]))[0] / part.size.factors
        x, y, z = place.tolist()
        drill = Drill(part.nominal_mesh, (x, y, z), pick.face, self.diameter.value, self.wall.value + 1.0)
        with_plug = self.plug.isChecked()
        shape_part(self.session, part, drill, f"Drill a {kind} into {part.name}", with_plug=with_plug)
        return True

    def leave(self) -> None:
        """Picking ends."""
        self.holes.end()

    def refresh(self) -> None:
        """Only with a current part."""
        for widget in (self.hollow_button, self.cut_button):
            widget.setEnabled(self.part is not None)
        self.holes.allow(bool(self.session.job.parts))
        self.allow_button.setEnabled(len(self.session.selected_faces) > 0)
