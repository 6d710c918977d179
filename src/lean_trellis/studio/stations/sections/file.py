"""The part's file: its unit, its tessellation, a revised file in its place."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QPushButton

from lean_trellis.core.job.edits import retake_unit
from lean_trellis.studio.errands import compare_revision, tessellate_again
from lean_trellis.studio.forms.fields import NumberField, muted, number_row, row
from lean_trellis.studio.forms.patterns import parts_pattern
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.revised import RevisedPart

_UNITS = ("mm", "cm", "m", "in")
_FROM = {"file": "named in the file", "guess": "guessed from the size", "user": "as you said"}


class FileSection(Section):
    """Where the part came from and how its lengths were taken."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "File and unit", is_open=False)
        self.words = muted()
        self.body.addWidget(self.words)
        self.units: dict[str, QPushButton] = {}
        for unit in _UNITS:
            made = button(unit, partial(self._retake, unit), f"Read the file's lengths as {unit}",
                          name=f"parts.unit.{unit}")  # fmt: skip
            made.setCheckable(True)
            self.units[unit] = made
        self.body.addWidget(row("Unit", *self.units.values(), 1, spacing=6))
        self.tolerance = NumberField("mm")
        self.tolerance.setObjectName("parts.tolerance")
        self.tolerance.taken.connect(self._tessellate)
        self._tolerance_row = number_row(
            "Facet tolerance", self.tolerance, help_text="Largest distance of a facet from the true surface."
        )
        self.body.addWidget(self._tolerance_row)
        self.replace_button = button("Replace with a revised file…", self._replace,
                                     "Pose, owner, order and supports are kept", name="parts.replace")  # fmt: skip
        self.body.addWidget(row(self.replace_button, 1))
        self.revised = RevisedPart(session)
        self.body.addWidget(self.revised)

    def _retake(self, unit: str) -> None:
        if self.selected and not self.session.do(lambda job: retake_unit(job, self.selected, unit)):
            self.refresh()
        self.refresh()

    def _tessellate(self, tolerance: float) -> None:
        if self.part is not None:
            tessellate_again(self.session, self.part, tolerance)

    def _replace(self) -> None:
        part = self.part
        if part is None:
            return
        chosen, _ = QFileDialog.getOpenFileName(
            self, f"Replace {part.name}", self.session.settings.folder, parts_pattern()
        )
        if chosen:
            self.compare(Path(chosen))

    def compare(self, path: Path) -> None:
        """Show what a revised file in the current part's place comes to."""
        if self.part is not None:
            compare_revision(self.session, self.part, path, self.revised.show_revision)

    def refresh(self) -> None:
        """Show where the current part came from."""
        part = self.part
        self.replace_button.setEnabled(part is not None)
        self.revised.refresh()
        for unit, made in self.units.items():
            made.setEnabled(part is not None)
            made.setChecked(part is not None and part.origin.unit == unit)
        self._tolerance_row.setVisible(part is not None and part.origin.tolerance_mm is not None)
        if part is None:
            self.words.setText("Select a part.")
            return
        origin = part.origin
        place = f", body {origin.body + 1}" if origin.body else ""
        self.words.setText(f"{Path(origin.file).name or 'made here'}{place}; unit {origin.unit}, "
                           f"{_FROM[origin.unit_is_from]}")  # fmt: skip
        self.words.setToolTip(origin.file)
        if origin.tolerance_mm is not None:
            self.tolerance.show_value(origin.tolerance_mm)
