"""Thin places of all parts, as a list; and whether a part is built at the least width there."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from lean_trellis.core.job.edits import thicken_parts
from lean_trellis.core.layers.thin_places import ThinPlace
from lean_trellis.core.mesh.directions import level_frame
from lean_trellis.core.parts.part import Part
from lean_trellis.core.shop.material import LEAST_WALL_MM, value_or
from lean_trellis.studio.forms.fields import muted
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.messages import Fly
from lean_trellis.studio.session import Session


class ThinSection(QWidget):
    """Where parts are thinner than the process builds: each place with its width and height, thinnest first."""

    asks = pyqtSignal(object)
    chosen = pyqtSignal(float)
    """A height along the layers' normal to go to, mm."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.words = muted()
        column.addWidget(self.words)
        self.table = PickTable(("Part", "Width", "From", "To"), several=False, stretch=0)
        self.table.setObjectName("thin.table")
        self.table.setAccessibleName("Thin places")
        self.table.selected.connect(self._go)
        column.addWidget(self.table, 1)
        self.thickens = QCheckBox("Build at the least width")
        self.thickens.setObjectName("thin.thickens")
        self.thickens.toggled.connect(self._thicken)
        column.addWidget(self.thickens)
        self.adds = muted()
        column.addWidget(self.adds)
        self._places: list[tuple[Part, ThinPlace]] = []

    def _go(self, keys: list[int]) -> None:
        if not keys or keys[0] >= len(self._places):
            return
        part, place = self._places[keys[0]]
        height = (place.low_mm + place.high_mm) / 2
        frame = level_frame(self.session.job.machine.layer_normal)
        x, y, z = (np.array([*place.at_mm, height]) @ frame.T).tolist()
        self.session.select(parts=(part.id,))
        self.chosen.emit(height)
        self.asks.emit(Fly((x, y, z), is_underside=False))

    def _thicken(self, is_on: bool) -> None:
        part = self.session.part
        if part is not None and part.thickens != is_on:
            self.session.do(lambda job: thicken_parts(job, [part.id], is_on=is_on))

    def refresh(self) -> None:
        """Show what is known."""
        session, job = self.session, self.session.job
        each = [(part, session.layers.faults(part)) for part in job.parts]
        least = value_or(job.constants, "least_wall", LEAST_WALL_MM)
        places = [(part, place) for part, faults in each if faults is not None for place in faults.thin]
        self._places = sorted(places, key=lambda entry: entry[1].width_mm)
        self.table.show_rows(
            [(number, (part.name, round(place.width_mm, 2), round(place.low_mm, 1), round(place.high_mm, 1)))
             for number, (part, place) in enumerate(self._places)], [],
        )  # fmt: skip
        if not job.parts:
            self.words.setText("No parts yet.")
        elif any(faults is None for _, faults in each):
            self.words.setText("Looking for what is thin …")
        elif not places:
            self.words.setText(f"Nothing is thinner than {UNITS.length(least)}.")
        else:
            many = f"{len(places)} places are" if len(places) > 1 else "One place is"
            self.words.setText(f"{many} thinner than {UNITS.length(least)}. Click one to go there.")
        self._show_choice()

    def _show_choice(self) -> None:
        part, layers = self.session.part, self.session.layers
        can = part is not None and self.session.job.machine.process != "powder_bed"
        self.thickens.setEnabled(can)
        self.thickens.setText(
            f"Build {part.name} at the least width" if part is not None else "Build at the least width"
        )
        self.thickens.blockSignals(True)
        self.thickens.setChecked(part is not None and part.thickens)
        self.thickens.blockSignals(False)
        shown = None if layers.number is None else layers.shown(layers.number)
        if not can and part is not None:
            self.adds.setText("Melted powder is as wide as its melt: nothing can be added there.")
        elif part is not None and part.thickens and shown is not None:
            self.adds.setText(f"Adds {shown.added_mm2:,.2f} mm² in this layer: straw-coloured in the view from above.")
        else:
            self.adds.setText("")
