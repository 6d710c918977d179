"""Arranging parts on the plate by their footprints."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox

from lean_trellis.core.proposals import Arrangement, ArrangeWishes
from lean_trellis.studio.errands import arrange_build
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, muted, number_row, row
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.messages import SaveRest
from lean_trellis.studio.part_requests import SpreadRest
from lean_trellis.studio.session import Session

_STEPS = [("0", "not at all"), ("90", "by quarters"), ("45", "by 45°"), ("30", "by 30°"), ("15", "by 15°")]
_LEANINGS = [("0", "room alone"), ("0.3", "room, then blade and gas"), ("1", "blade and gas first")]


class ArrangeSection(Section):
    """Where all parts, or the selected ones, go."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Arrange", is_open=False)
        self._rest: Arrangement | None = None
        self._wishes = ArrangeWishes()
        self.clearance, self.margin = NumberField("mm"), NumberField("mm")
        self.clearance.setObjectName("arrange.clearance")
        self.margin.setObjectName("arrange.margin")
        self.clearance.show_value(3)
        self.margin.show_value(0)
        self.body.addWidget(
            number_row("Gap between parts", self.clearance, help_text="Between footprints, supports included.")
        )
        self.body.addWidget(
            number_row("Space around each", self.margin, help_text="For a raft or supports added later.")
        )
        self.step, self.leaning = ChoiceField(), ChoiceField()
        self.step.setObjectName("arrange.step")
        self.step.offer(_STEPS, "45")
        self.leaning.offer(_LEANINGS, "0.3")
        self.leaning.setMinimumContentsLength(22)
        self.body.addWidget(row("Turned", self.step, 1))
        self._leaning_row = row("Priority", self.leaning, 1)
        self.body.addWidget(self._leaning_row)
        self.only_selected = QCheckBox("only the selected parts")
        self.only_selected.setObjectName("arrange.selected")
        self.body.addWidget(row(self.only_selected, 1))
        self.go = button("Arrange", self.arrange, "Locked parts stay where they are", name="arrange.go")
        self.rest_button = button(
            "Further plates…",
            self._save_rest,
            "A job and a plate each for what found no room",
            name="arrange.rest",
        )
        self.body.addWidget(row(self.go, self.rest_button, 1, spacing=6))
        self.note = muted()
        self.body.addWidget(self.note)

    def arrange(self) -> None:
        """Look for places."""
        self._wishes = ArrangeWishes(
            parts=self.selected if self.only_selected.isChecked() else (),
            clearance=self.clearance.value,
            step_deg=float(str(self.step.currentData())),
            preference=float(str(self.leaning.currentData())),
            margin=self.margin.value,
        )
        arrange_build(self.session, self._wishes, self._arranged)

    def _arranged(self, arranged: Arrangement) -> None:
        self._rest = arranged if arranged.left_over else None
        words = f"{100 * arranged.density:.0f} % of the rectangle round the parts is covered."
        self.note.setText(f"{words} {len(arranged.left_over)} found no room." if arranged.left_over else words)
        self.refresh()

    def _save_rest(self) -> None:
        if self._rest is not None:
            self.asks.emit(SaveRest(SpreadRest(self.session.job, self._rest.left_over, self._wishes)))

    def refresh(self) -> None:
        """Offer what the machine knows of."""
        machine = self.session.job.machine
        self.go.setEnabled(bool(self.session.job.parts))
        self.only_selected.setEnabled(bool(self.selected))
        self._leaning_row.setVisible(machine.blade_direction_deg is not None or machine.gas_flow_deg is not None)
        known = {part.id for part in self.session.job.parts}
        left = self._rest is not None and set(self._rest.left_over) <= known
        self.rest_button.setVisible(left)
