"""Copies: beside, in place, in a grid, upwards as a stack with what fills its gaps."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Literal, cast

from PyQt6.QtWidgets import QFileDialog

from lean_trellis.core.checks.stacks import material_changes
from lean_trellis.core.formats import Body
from lean_trellis.core.job import Job
from lean_trellis.core.job.edits import Edit, change_stack, copy_in_grid, stack_part
from lean_trellis.core.parts.stacking import Separator, Spacer, Stack
from lean_trellis.studio.errands import copy_in_hand
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, muted, number_row, row, rule
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.part_requests import ReadBody
from lean_trellis.studio.session import Session

_FILLINGS = [("none", "nothing"), ("separator", "a separator"), ("spacer", "a body from a file")]


class CopiesSection(Section):
    """More of the current part."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Copies and stack", is_open=False)
        self._spacer: Spacer | None = None
        beside, in_place = (
            button(words, partial(copy_in_hand, session, in_place=stays), hint, name=name)
            for words, stays, hint, name in (
                ("Copy", False, "A copy at the nearest free place", "copies.beside"),
                ("Copy in place", True, "A copy exactly where the part is", "copies.in_place"),
            )
        )
        self.body.addWidget(row(beside, in_place, 1, spacing=6))
        self.body.addWidget(rule())
        self.columns, self.rows = _count("copies.columns", 2), _count("copies.rows", 2)
        self.spaced = NumberField("mm", width=52)
        self.spaced.setObjectName("copies.gap")
        self.spaced.show_value(4)
        grid = button("Copy in a grid", self._grid, name="copies.grid")
        self.body.addWidget(row(self.columns, "by", self.rows, ", apart by", self.spaced, "mm", 1, spacing=5))
        self.body.addWidget(row(grid, 1))
        self.body.addWidget(rule())
        self.count, self.gap = _count("stack.count", 3), NumberField("", width=52)
        self.gap.setObjectName("stack.gap")
        self.gap.show_value(2)
        self.gap.taken.connect(lambda _: self._change())
        self.unit = ChoiceField()
        self.unit.setObjectName("stack.unit")
        self.unit.offer([("layers", "layers"), ("mm", "mm")], "layers")
        self.unit.chosen.connect(lambda _: self._change())
        self.stack_button = button("Stack", self._stack, "Copies stacked on each other", name="stack.make")
        self.unit.setFixedWidth(92)
        self.body.addWidget(row(self.count, "upwards, apart by", self.gap, self.unit, 1, spacing=5))
        self.filling = ChoiceField()
        self.filling.setObjectName("stack.filling")
        self.filling.offer(_FILLINGS, "none")
        self.filling.chosen.connect(lambda _: self._filling_chosen())
        self.body.addWidget(row("Filling", self.filling, 1))
        self.material = ChoiceField()
        self.material.setObjectName("stack.material")
        self.material.chosen.connect(lambda _: self._change())
        self._separator_row = row("of", self.material, 1)
        self.inset, self.layers = NumberField("mm"), NumberField("")
        self.inset.setObjectName("stack.inset")
        self.layers.setObjectName("stack.layers")
        self.inset.show_value(0)
        self.layers.show_value(2)
        for field in (self.inset, self.layers):
            field.taken.connect(lambda _: self._change())
        self._inset_row = number_row("Inset", self.inset, help_text="Negative lets it project.")
        self._layers_row = number_row("Separator layers", self.layers)
        for widget in (self._separator_row, self._inset_row, self._layers_row):
            self.body.addWidget(widget)
        self.body.addWidget(row(self.stack_button, 1))
        self.note = muted()
        self.body.addWidget(self.note)

    def _grid(self) -> None:
        part = self.part
        if part is not None:
            columns, rows = round(self.columns.value), round(self.rows.value)
            self.session.do(lambda job: copy_in_grid(job, part.id, columns, rows, self.spaced.value))

    def _filling(self) -> Separator | Spacer | None:
        kind = str(self.filling.currentData())
        if kind == "separator":
            material = self.session.library.material(str(self.material.currentData()))
            return Separator(material, self.inset.value, round(self.layers.value))
        return self._spacer if kind == "spacer" else None

    def _filling_chosen(self) -> None:
        if str(self.filling.currentData()) == "spacer" and self._spacer is None:
            self._choose_spacer()
            return
        self._change()
        self.refresh()

    def _choose_spacer(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "A body between the parts", self.session.settings.folder)
        part = self.part
        if not chosen or part is None:
            self.filling.setCurrentIndex(0)
            return
        path = Path(chosen)

        def read(body: Body) -> None:
            spacer = self._spacer = Spacer(body.name, body.mesh)
            self._change(lambda: spacer)
            self.refresh()

        self.session.ask(f"Reading {path.name}", ReadBody(path, part.origin), read)

    def _unit(self) -> Literal["layers", "mm"]:
        return cast(Literal["layers", "mm"], str(self.unit.currentData()))

    def _stack(self) -> None:
        part = self.part
        if part is not None:
            count, gap = round(self.count.value), self.gap.value
            self.session.do(lambda job: stack_part(job, part.id, count, gap, self._unit(), self._filling()))

    def _change(self, filling: Callable[[], Separator | Spacer | None] | None = None) -> None:
        """Give the stack of the current part what the fields say; what is refused gives way to what holds."""
        stack = self._known()
        if stack is None:
            return

        def changed(job: Job) -> Edit:
            values = replace(stack, gap=self.gap.value, gap_unit=self._unit(), filling=(filling or self._filling)())
            return change_stack(job, stack.id, values)

        if not self.session.do(changed):
            self.refresh()

    def _known(self) -> Stack | None:
        part = self.part
        return None if part is None else self.session.job.stack_of(part.id)

    def refresh(self) -> None:
        """Show the stack of the current part, if it stands in one."""
        session, stack = self.session, self._known()
        fitting = session.library.materials_for(session.job.machine)
        current = str(self.material.currentData() or session.job.material.id)
        if stack is not None and isinstance(stack.filling, Separator):
            current = stack.filling.material.id
        self.material.offer([(material.id, material.name) for material in fitting], current)
        self.stack_button.setEnabled(self.part is not None and stack is None)
        if stack is not None:
            self.gap.show_value(stack.gap)
            self.unit.setCurrentIndex(self.unit.findData(stack.gap_unit))
            kinds = {Separator: "separator", Spacer: "spacer"}
            self.filling.setCurrentIndex(self.filling.findData(kinds.get(type(stack.filling), "none")))
            if isinstance(stack.filling, Separator):
                self.inset.show_value(stack.filling.inset)
                self.layers.show_value(stack.filling.layers)
        is_separator = str(self.filling.currentData()) == "separator"
        for widget in (self._separator_row, self._inset_row, self._layers_row):
            widget.setVisible(is_separator)
        if stack is None:
            self.note.setText("Gaps in layers follow the layer height.")
        else:
            gap, changes = stack.gap_mm(session.job.layer_height), material_changes(session.job)
            words = f"{len(stack.parts)} parts, {gap:.3f} mm apart"
            self.note.setText(f"{words}; {changes} changes of material in this build" if changes else words)


def _count(name: str, value: int) -> NumberField:
    field = NumberField("", width=44)
    field.setObjectName(name)
    field.show_value(value)
    return field
