"""Values of paths that hold for some layers or one outline of a part, in place of its material's."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from lean_trellis.core.job.edits import set_path_values
from lean_trellis.core.layers.beads import Beads
from lean_trellis.core.layers.laying import PART
from lean_trellis.core.mesh.directions import level_frame
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.path_values import PathValues
from lean_trellis.studio.forms.fields import NumberField, muted, number_row, row
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.session import Session

_FIELDS = (
    ("low", "From", "mm", "Height over the part's lowest place; empty: from its first layer."),
    ("high", "To", "mm", "Height over the part's lowest place; empty: up to its last layer."),
    ("path_width", "Bead width", "mm", "How wide a bead is laid; empty: as the material says."),
    ("loops", "Loops", "", "Beads along the outline; empty: as the material says."),
    ("fill_share", "Fill", "", "Share of the inside that is filled, 0 to 1; empty: as the material says."),
)

_WIDTHS = {1: 50, 2: 50, 3: 48, 4: 54, 5: 44}
_USUAL = {"path_width": "width", "loops": "loops", "fill_share": "share"}
"""What these are called among the beads of a material."""


class PathsSection(QWidget):
    """The current part's own values of paths: for a range of layers, or for one outline of them."""

    picking_changed = pyqtSignal(bool)
    """Whether the next click in the layer picks an outline."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.words = muted()
        column.addWidget(self.words)
        self.add = button("Add for layers", self._add_layers, "From the layer that is shown up", name="paths.add")
        self.pick = ModeButtons(
            [("pick", "Add for an outline", "Click inside an outline of the layer, below the 3D view.")], "paths"
        )
        self.pick.changed.connect(lambda mode: self.picking_changed.emit(bool(mode)))
        self.remove = button("Remove", self._remove, "The material's values hold again", name="paths.remove")
        column.addWidget(row(self.add, self.remove, 1, spacing=6))
        column.addWidget(self.pick)
        self.table = PickTable(("Where", "From", "To", "Bead", "Loops", "Fill"), several=False, widths=_WIDTHS)
        self.table.setObjectName("paths.table")
        self.table.setAccessibleName("Own values of paths")
        self.table.selected.connect(self._choose)
        column.addWidget(self.table, 1)
        self.fields: dict[str, NumberField] = {}
        for key, label, unit, help_text in _FIELDS:
            field = NumberField(unit, may_be_empty=True)
            field.setObjectName(f"paths.{key}")
            field.taken.connect(partial(self._change, key))
            field.emptied.connect(partial(self._change, key, None))
            self.fields[key] = field
            column.addWidget(number_row(label, field, help_text=help_text))
        self._row = 0

    # --- changing ---

    def _set(self, part: Part, values: list[PathValues]) -> bool:
        return self.session.do(lambda job: set_path_values(job, part.id, values))

    def _add(self, part: Part, values: PathValues) -> None:
        self._row = len(part.path_values)
        self._set(part, [*part.path_values, values])

    def _add_layers(self) -> None:
        part, number = self.session.part, self.session.layers.number
        profile = self.session.layers.profile()
        if part is None:
            return
        low = 0.0
        if profile is not None and len(profile) and number is not None:
            top = float(profile.tops[profile.place_of(number)])
            low = max(0.0, top - self.session.job.layer_height - float(self._origin(part)[2]))
        self._add(part, PathValues(low=round(low, 4), loops=self._usual().loops))

    def take_place(self, x: float, y: float) -> None:
        """A place in the layer that is shown, mm: the outline there gets values of its own."""
        self.pick.end()
        layers = self.session.layers
        number, profile = layers.number, layers.profile()
        part = self._part_at(x, y)
        if part is None or number is None or profile is None:
            self.session.said.emit("caution", "No outline of a part is there: click inside one.")
            return
        height = float(profile.tops[profile.place_of(number)]) - self.session.job.layer_height / 2
        step = np.array([x, y, height]) - self._origin(part)
        at = (round(float(step[0]), 4), round(float(step[1]), 4), round(float(step[2]), 4))
        self.session.select(parts=(part.id,))
        self._add(part, PathValues(at=at, loops=self._usual().loops))

    def _change(self, key: str, value: Any) -> None:
        part = self.session.part
        if part is None or self._row >= len(part.path_values):
            return
        values = list(part.path_values)
        if key == "loops" and value is not None:
            value = round(value)
        values[self._row] = replace(values[self._row], **{key: value})
        if not self._set(part, values):
            self._show_fields()

    def _remove(self) -> None:
        part = self.session.part
        if part is not None and self._row < len(part.path_values):
            values = [one for number, one in enumerate(part.path_values) if number != self._row]
            self._set(part, values)

    def _choose(self, keys: list[int]) -> None:
        if keys:
            self._row = keys[0]
            self._show_fields()

    # --- what is known ---

    def _origin(self, part: Part) -> Any:
        return part.layer_origin(self.session.job.machine.layer_normal)

    def _usual(self) -> Beads:
        """What the material says."""
        return Beads.of(self.session.job.constants, PART)

    def _part_at(self, x: float, y: float) -> Part | None:
        """The part whose box holds a place of the layer's plane; the current one before others."""
        frame = level_frame(self.session.job.machine.layer_normal)
        current = self.session.part
        for part in sorted(self.session.job.parts, key=lambda one: one is not current):
            corners = part.placed.vertices @ frame if not np.array_equal(frame, np.eye(3)) else part.bounds()
            low, high = corners.min(axis=0), corners.max(axis=0)
            if low[0] <= x <= high[0] and low[1] <= y <= high[1]:
                return part
        return None

    # --- what is shown ---

    def end_mode(self) -> bool:
        """Escape ends picking. True when it was on."""
        return self.pick.end()

    def refresh(self) -> None:
        """Show the current part's own values."""
        job, part = self.session.job, self.session.part
        is_extruded = job.machine.process == "extrusion"
        if not is_extruded:
            self.words.setText("Beads, loops and fill can be changed where material is extruded.")
        elif part is None:
            self.words.setText("Select a part: its paths can differ from its material's.")
        else:
            self.words.setText(
                f"In place of {job.material.name}'s values, for {part.name}. Where several hold, the last wins."
            )
        for widget in (self.add, self.pick, self.table):
            widget.setEnabled(is_extruded and (part is not None or widget is self.pick))
        values = () if part is None else part.path_values
        self._row = min(self._row, max(0, len(values) - 1))
        self.table.show_rows(
            [(number, ("outline" if one.at is not None else "layers", one.low, one.high, one.path_width, one.loops,
                       one.fill_share)) for number, one in enumerate(values)],
            [self._row] if values else [],
        )  # fmt: skip
        self.remove.setEnabled(bool(values) and is_extruded)
        self._show_fields()

    def _show_fields(self) -> None:
        part, job = self.session.part, self.session.job
        values = () if part is None else part.path_values
        one = values[self._row] if self._row < len(values) else None
        is_extruded = job.machine.process == "extrusion"
        usual = self._usual() if is_extruded else None
        for key, field in self.fields.items():
            field.setEnabled(one is not None and is_extruded)
            field.show_value(None if one is None else getattr(one, key))
            if usual is not None and key in _USUAL:
                field.setPlaceholderText(f"{getattr(usual, _USUAL[key]):g}")
