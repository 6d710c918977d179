"""Size: scale per axis, shrinkage in stages, and what the part is nominally, when printed and in the end."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QLabel, QWidget

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job.edits import set_size
from lean_trellis.core.parts.size import Size, Stage, factor_for
from lean_trellis.studio.forms.fields import NumberField, muted, row
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.messages import Measure
from lean_trellis.studio.session import Session

_STAGES = (("print", "Print"), ("later", "Cast, sinter"))


class SizeSection(Section):
    """Scale and shrinkage of the selected parts."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Size and shrinkage", is_open=False)
        self._fields: dict[str, list[NumberField]] = {}
        grid_holder = QWidget()
        grid = QGridLayout(grid_holder)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(6)
        grid.setVerticalSpacing(4)
        for column, axis in enumerate("XYZ", start=1):
            grid.addWidget(QLabel(f"{axis} %"), 0, column)
        for line, (key, words) in enumerate((("scale", "Scale"), *_STAGES), start=1):
            grid.addWidget(QLabel(words), line, 0)
            self._fields[key] = []
            for place, letter in enumerate("xyz"):
                field = NumberField("%", width=58)
                field.setObjectName(f"size.{key}.{letter}")
                field.taken.connect(lambda value, key=key, place=place: self._take(key, place, value))
                self._fields[key].append(field)
                grid.addWidget(field, line, place + 1)
        grid.setColumnStretch(0, 1)
        self.body.addWidget(grid_holder)
        self.same = QCheckBox("the same along all axes")
        self.same.setObjectName("size.same")
        self.same.setChecked(True)
        self.body.addWidget(row(self.same, 1))
        self.from_material = button("Use the material's shrinkage", self._from_material, name="size.material")
        self.plain = button("Original size", self._plain, "No scale, no shrinkage", name="size.plain")
        self.body.addWidget(row(self.from_material, self.plain, 1, spacing=6))
        self.measured, self.wanted = NumberField("mm", width=62), NumberField("mm", width=62)
        self.measured.setObjectName("size.measured")
        self.wanted.setObjectName("size.wanted")
        self.fit = button("Scale", self._fit, "Find the scale that gives a wanted measure", name="size.fit")
        self.measure = button("Measure", lambda: self.asks.emit(Measure()), "In the view, M", name="size.measure")
        self.body.addWidget(row("A bore, a span or a wall, as it is and as wanted", 1))
        self.body.addWidget(row(self.measure, self.measured, "→", self.wanted, self.fit, 1, spacing=6))
        self.table = QLabel()
        self.table.setProperty("role", "figure")
        self.body.addWidget(self.table)
        self.note = muted()
        self.body.addWidget(self.note)

    def _take(self, key: str, axis: int, percent: float) -> None:
        part = self.part
        if part is None:
            return
        size, axes = part.size, range(3) if self.same.isChecked() else (axis,)
        try:
            if key == "scale":
                size = replace(size, scale=_changed(size.scale, axes, percent / 100))
            else:
                stages = {stage.name: stage for stage in size.stages}
                old = stages.get(key, Stage(key, (0.0, 0.0, 0.0)))
                stages[key] = Stage(key, _changed(old.rates, axes, percent / 100))
                kept = tuple(stages[name] for name, _ in _STAGES if name in stages)
                size = replace(size, stages=tuple(stage for stage in kept if any(stage.rates)))
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            self.refresh()
            return
        self._set(size)

    def _set(self, size: Size) -> None:
        self.session.do(lambda job: set_size(job, self.selected, size))
        self.refresh()

    def _from_material(self) -> None:
        part = self.part
        if part is not None:
            x, y, z = (constant.value for constant in self.session.job.material.shrinkage)
            rest = tuple(stage for stage in part.size.stages if stage.name != "print")
            self._set(replace(part.size, stages=(Stage("print", (x, y, z)), *rest)))

    def _plain(self) -> None:
        if self.part is not None:
            self._set(Size())

    def _fit(self) -> None:
        part = self.part
        if part is None:
            return
        try:
            factor = factor_for(self.measured.value, self.wanted.value)
            x, y, z = (scale * factor for scale in part.size.scale)
            size = replace(part.size, scale=(x, y, z))
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        self._set(size)

    def show_measure(self, length: float) -> None:
        """Take over a length that was measured in the view."""
        self.measured.show_value(length)

    def refresh(self) -> None:
        """Show the size of the current part."""
        part = self.part
        widgets = [field for fields in self._fields.values() for field in fields]
        for widget in (*widgets, self.from_material, self.plain, self.fit, self.measured, self.wanted):
            widget.setEnabled(part is not None)
        if part is None:
            self.table.setText("")
            self.note.setText("Select a part.")
            return
        stages = {stage.name: stage.rates for stage in part.size.stages}
        for key, fields in self._fields.items():
            values = part.size.scale if key == "scale" else stages.get(key, (0.0, 0.0, 0.0))
            for field, value in zip(fields, values, strict=True):
                field.show_value(100 * value)
        nominal = np.ptp(part.nominal_mesh.bounds, axis=0)
        lines = [("nominal", np.ones(3)), ("as printed", part.size.factors)]
        names = dict(_STAGES)
        lines += [(f"after {names.get(name, name).lower()}", factors) for name, factors in part.size.after_stages()]
        cells = "".join(
            f"<tr><td>{words}&nbsp;&nbsp;</td>"
            + "".join(f"<td align='right'>&nbsp;&nbsp;{length:.3f}</td>" for length in nominal * factors)
            + "</tr>"
            for words, factors in lines
        )
        self.table.setText(f"<table>{cells}</table>")
        self.note.setText("mm along the part's own axes. Rates are the share that is lost.")


def _changed(
    values: tuple[float, float, float], axes: range | tuple[int, ...], value: float
) -> tuple[float, float, float]:
    x, y, z = (value if axis in axes else old for axis, old in enumerate(values))
    return x, y, z
