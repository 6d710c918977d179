"""What supports itself: the detection values, the regions they leave out and why, each to be taken back."""

from __future__ import annotations

from functools import partial

import numpy as np

from lean_trellis.core.job.edits import change_material, leave_out, take_back
from lean_trellis.studio.forms.fields import NumberField, muted, number_row, row, when_taken
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.session import Session

_VALUES = (
    (
        "bridge_span",
        "Bridges up to",
        "mm",
        "A ceiling between opposite walls needs no support up to this width.",
    ),
    ("ledge_limit", "Ledges up to", "mm", "A ledge that is free on one side needs no support up to this width."),
    ("smallest_region", "Smallest region", "mm²", "Smaller ones are left out, but never where a piece begins."),
)


class SelfSupportingSection(Section):
    """Values of the material, changed for this build alone."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Self-supporting", is_open=False)
        self.fields: dict[str, NumberField] = {}
        self._rows = []
        for key, words, unit, hint in _VALUES:
            field = NumberField(unit)
            field.setObjectName(f"detection.{key}")
            when_taken(field, partial(self._change, key))
            self.fields[key] = field
            self._rows.append(number_row(words, field, help_text=hint))
            self.body.addWidget(self._rows[-1])
        self.table = PickTable(("", "Reason", "mm²"), stretch=1)
        self.table.setObjectName("left_out.table")
        self.table.setFixedHeight(150)
        self.table.selected.connect(lambda keys: session.select(regions=frozenset(keys)))
        self.body.addWidget(self.table)
        self.back = button(
            "Support anyway", self._take_back, "The selected regions need support again", name="left_out.back"
        )
        self.again = button(
            "Leave out again", self._leave_out, "The region that was brought back last", name="left_out.again"
        )
        self.body.addWidget(row(self.back, self.again, 1, spacing=5))
        self.note = muted()
        self.body.addWidget(self.note)

    def _change(self, key: str, value: float) -> None:
        if not self.session.do(lambda job: change_material(job, f"detection.{key}", value)):
            self.refresh()

    def _take_back(self) -> None:
        part = self.part
        regions = None if part is None else self.session.regions(part)
        if part is None or regions is None:
            return
        for number in sorted(self.session.selection.regions):
            region = regions.regions[number]
            if region.left_out:
                place = np.array(region.anchor_mm)
                self.session.do(partial(take_back, part_id=part.id, place=place))

    def _leave_out(self) -> None:
        part = self.part
        if part is not None and part.marks.taken_back:
            last = np.array(part.marks.taken_back[-1]) * part.size.factors
            place = part.pose.to_plate(part.mesh, last[None])[0]
            self.session.do(lambda job: leave_out(job, part.id, place))

    def refresh(self) -> None:
        """Show the values and what they leave out."""
        part, job = self.part, self.session.job
        in_vat = job.bridging is None
        for field_row in self._rows:
            field_row.setVisible(not in_vat)
        for key, field in self.fields.items():
            field.show_value(getattr(job.material.detection, key))
        overhangs = None if part is None else self.session.regions(part)
        left = [] if overhangs is None else [region for region in overhangs.regions if region.left_out]
        rows = [(region.id, (region.id + 1, region.left_out, region.area_mm2)) for region in left]
        self.table.show_rows(rows, list(self.session.selection.regions))
        self.table.setVisible(bool(rows))
        self.back.setVisible(bool(rows))
        self.back.setEnabled(any(region.id in self.session.selection.regions for region in left))
        self.again.setVisible(part is not None and bool(part.marks.taken_back))
        self.set_words(f"Self-supporting: {len(left)} left out" if left else "Self-supporting")
        words = (
            "In a vat nothing is self-supporting: each layer is peeled off the film."
            if in_vat
            else "Nothing is left out."
        )
        self.note.setText("" if left else words)
        self.note.setVisible(not left)
