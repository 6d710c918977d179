"""Lift and place: build offset, middle on the plate, centring, standing on another part."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QCheckBox, QWidget

from lean_trellis.core.job.edits import centre_parts, drop_parts, move_part, set_build_offset
from lean_trellis.studio.errands import stand_part_on
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, figure, muted, number_row, row
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.session import Session


class LiftSection(Section):
    """How high the part stands."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Lift")
        self.offset = NumberField("mm")
        self.offset.setObjectName("pose.offset")
        self.offset.taken.connect(self._set_offset)
        self.body.addWidget(
            number_row(
                "Build offset",
                self.offset,
                help_text="Height of the lowest point above the plate. Turning and moving keep it.",
            )
        )
        self.all_parts = QCheckBox("for every part of the build")
        self.drop = button("Drop to the plate", self._drop, "Set the build offset to 0", name="pose.drop")
        self.body.addWidget(row(self.all_parts, 1, self.drop))
        self.note = muted()
        self.body.addWidget(self.note)

    def _set_offset(self, value: float) -> None:
        chosen = tuple(p.id for p in self.session.job.parts) if self.all_parts.isChecked() else self.selected
        if chosen and not self.session.do(lambda job: set_build_offset(job, chosen, value)):
            self.refresh()

    def _drop(self) -> None:
        if self.selected:
            self.session.do(lambda job: drop_parts(job, self.selected))

    def refresh(self) -> None:
        """Show the current part."""
        part = self.part
        for widget in (self.offset, self.drop):
            widget.setEnabled(part is not None)
        if part is None:
            self.note.setText("")
            return
        self.offset.show_value(part.pose.build_offset)
        usual = self.session.job.material.build_offset
        n = len(self.session.job.supports_of(part.id))
        under = f"with {n} support{'s' * (n > 1)} under it" if n else "no supports under it yet; it stays up"
        self.note.setText(f"Usual for the material: {usual:g} mm. {under.capitalize()}.")


class PlaceSection(Section):
    """Where the part stands on the plate and against others."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Place and align")
        self.x_field, self.y_field = NumberField("mm"), NumberField("mm")
        for label, field, axis in (("Centre X", self.x_field, 0), ("Centre Y", self.y_field, 1)):
            field.setObjectName(f"pose.{'xy'[axis]}")
            field.taken.connect(lambda value, axis=axis: self._move(axis, value))
            self.body.addWidget(number_row(label, field))
        self.target = ChoiceField()
        self.target.setObjectName("pose.target")
        self.body.addWidget(row("Against", self.target, 1))
        self.centring = {
            axes: button(words, partial(self._centre, axes), "Align the centres", name=f"pose.centre.{axes}")
            for axes, words in (("x", "Centre in X"), ("y", "in Y"), ("xy", "in both"))
        }
        self.body.addWidget(row(*self.centring.values(), 1, spacing=6))
        self.clearance = NumberField("mm", width=64)
        self.clearance.setObjectName("pose.clearance")
        self.clearance.show_value(0)
        self.stand = button("Place on it", self._stand, "Distance above its surface; negative goes in",
                            name="pose.stand")  # fmt: skip
        self._stand_row = row("Clearance", self.clearance, "mm", self.stand, 1, spacing=6)
        self.body.addWidget(self._stand_row)
        self.figures = figure()
        self.body.addWidget(self.figures)

    def _move(self, axis: int, value: float) -> None:
        part = self.part
        if part is not None:
            x, y = (value, part.pose.y) if axis == 0 else (part.pose.x, value)
            self.session.do(lambda job: move_part(job, part.id, x, y))

    def _on(self) -> str:
        return str(self.target.currentData() or "")

    def _centre(self, axes: str) -> None:
        if self.selected:
            self.session.do(lambda job: centre_parts(job, self.selected, axes, on_part=self._on()))

    def _stand(self) -> None:
        if self.part is not None and self._on():
            stand_part_on(self.session, self.part, self._on(), self.clearance.value)

    def refresh(self) -> None:
        """Show the current part."""
        part, job = self.part, self.session.job
        widgets: list[QWidget] = [self.x_field, self.y_field, self.target, *self.centring.values(), self.stand]
        for widget in widgets:
            widget.setEnabled(part is not None)
        others = [(other.id, other.name) for other in job.parts if part is not None and other.id != part.id]
        self.target.offer([("", "the plate"), *others], self._on())
        self._stand_row.setVisible(bool(self._on()))
        if part is None:
            self.figures.setText("")
            return
        self.x_field.show_value(part.pose.x)
        self.y_field.show_value(part.pose.y)
        low, high = part.bounds()
        self.figures.setText(
            f"{UNITS.size((high - low).tolist())} {UNITS.name}\n"
            f"lowest {UNITS.length(low[2])}, highest {UNITS.length(high[2])} above the plate"
        )
