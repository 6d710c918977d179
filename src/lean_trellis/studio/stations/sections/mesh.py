"""Mesh health: faults with their places, and mending in named steps."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QLabel

from lean_trellis.core.mesh.faults import MeshFault
from lean_trellis.core.mesh.mend import CURES, STEPS, Mended
from lean_trellis.core.parts.part import Part
from lean_trellis.studio.errands import mend_part, take_mend
from lean_trellis.studio.forms.fields import ChoiceField, muted, row, set_role
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.messages import Fly, ShowFault
from lean_trellis.studio.session import Session
from lean_trellis.studio.shown import ShownPart


class MeshSection(Section):
    """Is the mesh sound, where not, and what to do."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Mesh")
        self._offered: tuple[Part, Mended] | None = None
        self._at = 0
        self.health = QLabel()
        self.health.setWordWrap(True)
        self.body.addWidget(self.health)
        self.table = PickTable(("Fault", "Count"), several=False)
        self.table.setObjectName("parts.faults")
        self.table.selected.connect(self._fly)
        self.body.addWidget(self.table)
        self.step = ChoiceField()
        self.step.setObjectName("parts.mend.step")
        self.step.offer([("", "All repairs"), *((key, title) for key, (title, _) in STEPS.items())], "")
        self.mend_button = button("Repair", self._mend, "One undoable step", name="parts.mend")
        self.next_button = button("Next place", self._next, "Show the next place of this fault", name="parts.next")
        self.body.addWidget(row(self.step, self.mend_button, self.next_button, 1, spacing=6))
        self.question = muted()
        self.body.addWidget(self.question)
        self.keep = button("Keep repair", self._keep, "Use the repaired mesh anyway", name="parts.mend.keep")
        self.leave_button = button("Discard repair", self._forget, name="parts.mend.leave")
        self._answers = row(self.keep, self.leave_button, 1, spacing=6)
        self.body.addWidget(self._answers)
        self._forget()

    def _faults(self) -> tuple[MeshFault, ...]:
        part = self.part
        return () if part is None else self.session.faults(part) or ()

    def _fault(self) -> MeshFault | None:
        kinds = self.table.selected_keys()
        return next((fault for fault in self._faults() if kinds and fault.kind == kinds[0]), None)

    def _fly(self, kinds: list[str]) -> None:
        self._at = 0
        if kinds and kinds[0] in CURES:
            self.step.setCurrentIndex(self.step.findData(CURES[kinds[0]]))
        self._show_place()

    def _next(self) -> None:
        self._at += 1
        self._show_place()

    def _show_place(self) -> None:
        fault, part = self._fault(), self.part
        if fault is None or part is None:
            return
        self.asks.emit(ShowFault((part.id, fault)))
        if len(fault.places):
            place = fault.places[self._at % len(fault.places)]
            x, y, z = part.pose.to_plate(part.mesh, np.array([place]))[0].tolist()
            self.asks.emit(Fly((x, y, z), is_underside=False))

    def _mend(self) -> None:
        if self.part is not None:
            self._forget()
            mend_part(self.session, self.part, str(self.step.currentData()), self._offer)

    def _offer(self, part: Part, mended: Mended) -> None:
        """A mend that changes the volume by more than a percent is only done when somebody agrees."""
        self._offered = (part, mended)
        before, after = mended.before, mended.after
        self.question.setText(
            f"{mended.title} would change the volume by {100 * mended.volume_change:.1f} %: from "
            f"{before.volume_mm3:,.1f} to {after.volume_mm3:,.1f} mm³; {before.in_words} → {after.in_words}."
        )
        self._answers.show()

    def _keep(self) -> None:
        if self._offered is not None:
            part, mended = self._offered
            self._forget()
            take_mend(self.session, part, mended)

    def _forget(self) -> None:
        self._offered = None
        self.question.setText("")
        self._answers.hide()

    def leave(self) -> None:
        """Nothing stays marked."""
        self.asks.emit(ShowFault(None))

    def refresh(self) -> None:
        """Show the health of the current part."""
        part = self.part
        shown = None if part is None else self.session.shown_part(part)
        faults = None if part is None else self.session.faults(part)
        self.mend_button.setEnabled(shown is not None)
        self.next_button.setEnabled(bool(faults))
        self.health.setVisible(part is not None)
        if self._offered is not None and (part is None or part.id != self._offered[0].id):
            self._forget()
        if part is not None:
            role, words = _verdict(shown, faults)
            set_role(self.health, role)
            self.health.setText(f"Mesh: {words}")
        rows = [(fault.kind, (fault.title, fault.count)) for fault in faults or ()]
        self.table.show_rows(rows, [key for key in self.table.selected_keys() if key in {row[0] for row in rows}])
        self.table.setVisible(bool(rows))
        self.table.setFixedHeight(30 + 28 * max(1, min(len(rows), 5)))


def _verdict(shown: ShownPart | None, faults: tuple[MeshFault, ...] | None) -> tuple[str, str]:
    """How it looks and what is said: sound only where no fault is listed below it."""
    if shown is None:
        return "muted", "…"
    words = shown.health.in_words
    if not shown.health.is_sound:
        return "stop", words
    if faults is None:
        return "muted", "closed; checking for faults …"
    listed = ", ".join(f"{fault.count:,} {fault.title[:1].lower()}{fault.title[1:]}" for fault in faults)
    return ("warn", f"closed, but {listed}") if faults else ("good", words)
