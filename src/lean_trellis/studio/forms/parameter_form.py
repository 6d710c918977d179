"""The form of a family's parameters, made from their declarations and folded by the questions."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QLabel, QPushButton, QVBoxLayout, QWidget

from lean_trellis.core.supports.common.parameters import QUESTIONS, Declared, FamilyParameters
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, TextField, row
from lean_trellis.studio.forms.fold import Fold
from lean_trellis.studio.forms.qt import restyle
from lean_trellis.studio.forms.units import UNITS, UnitLabel

_UNIT_WIDE = 36
_FEW_LETTERS = 9


class _Line(QWidget):
    """One parameter: label, field, unit, and the way back when it differs from its set."""

    def __init__(self, known: Declared, form: ParameterForm) -> None:
        super().__init__()
        self.known, self._form = known, form
        self._shown_text = ""
        self.field = self._make_field()
        self.field.setObjectName(f"parameter.{known.key}")
        self.field.setAccessibleName(known.label)
        self._back = QPushButton()
        self._back.setProperty("role", "back")
        self._back.clicked.connect(lambda: form.changed.emit(known.key, form.origin_value(known.key)))
        self._back.setAccessibleName(f"{known.label}: back to the set's value")
        self._back.hide()
        unit = UnitLabel(known.unit)
        unit.setProperty("role", "muted")
        unit.setFixedWidth(_UNIT_WIDE)
        label = QLabel(known.label)
        label.setBuddy(self.field)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 1, 0, 1)
        layout.addWidget(row(label, 1, self._back, self.field, unit, spacing=4))
        for widget in (label, self.field):
            widget.setToolTip(self._help())

    def _help(self) -> str:
        known = self.known
        limits = ""
        if known.least is not None and known.most is not None:
            limits = f" From {known.least:g} to {known.most:g} {known.unit}.".replace(" .", ".")
        said = ((f"Too small: {known.too_small}", known.too_small), (f"Too large: {known.too_large}", known.too_large),
                (f"Cost: {known.cost}", known.cost))  # fmt: skip
        consequences = "".join(f"\n{words}" for words, is_known in said if is_known)
        return f"{known.help}{limits}{consequences}\n({known.key})"

    def _make_field(self) -> QWidget:
        known, form = self.known, self._form
        if known.kind == "choice":
            choice = ChoiceField()
            choice.setFixedWidth(168)
            choice.chosen.connect(lambda value: form.changed.emit(known.key, value))
            return choice
        if known.kind == "switch":
            tick = QCheckBox()
            tick.clicked.connect(lambda value: form.changed.emit(known.key, bool(value)))
            return tick
        if known.kind == "text":
            text = TextField()
            text.setFixedWidth(168)
            text.editingFinished.connect(lambda: self._take_text(text))
            return text
        number = NumberField(known.unit, may_be_empty=known.kind == "optional_number", width=72)
        if known.kind == "optional_number":
            number.setPlaceholderText("off" if known.follows is None else "=")
        as_count = known.kind == "count"
        number.taken.connect(lambda value: form.changed.emit(known.key, round(value) if as_count else value))
        number.emptied.connect(lambda: form.changed.emit(known.key, None))
        return number

    def _take_text(self, text: TextField) -> None:
        """Ask for what was typed; until it is taken the field shows what was there before."""
        if text.text() != self._shown_text:
            self._form.changed.emit(self.known.key, text.text())
            text.setText(self._shown_text)

    def _in_words(self, value: Any) -> str:
        """A value as it is shown."""
        known = self.known
        if value is None:
            return "off" if known.follows is None else "as follows"
        if known.kind == "choice":
            return dict(zip(known.choices, known.choice_words, strict=True))[str(value)]
        if isinstance(value, str):
            return value
        if isinstance(value, bool):
            return "on" if value else "off"
        return f"{value / UNITS.mm:.4g}" if known.unit == "mm" and UNITS.is_inch else f"{value:.6g}"

    def show_following(self, value: float) -> None:
        """What a value that is not typed is now."""
        if isinstance(self.field, NumberField):
            shown = value / UNITS.mm if self.known.unit == "mm" else value
            self.field.setPlaceholderText("=" if math.isnan(shown) else f"= {shown:.4g}")

    def show_value(self, value: Any, *, origin: Any) -> None:
        """Show a value, and whether it is the set's own."""
        match self.field:
            case ChoiceField():
                self.field.offer(list(zip(self.known.choices, self.known.choice_words, strict=True)), str(value))
            case QCheckBox():
                self.field.setChecked(bool(value))
            case NumberField():  # a text field as well
                self.field.show_value(None if value is None else float(value))
            case TextField():
                self._shown_text = str(value)
                self.field.setText(self._shown_text)
        differs = value != origin
        self._back.setVisible(differs)
        shown = self._in_words(origin)
        self._back.setText(f"{shown}  ↺" if len(shown) < _FEW_LETTERS else "↺")
        self._back.setToolTip(f"Back to the set's value: {shown}")
        self._back.setAccessibleName(f"{self.known.label}: back to {shown}")
        if bool(self.field.property("differs")) != differs:
            self.field.setProperty("differs", differs)
            restyle(self.field)


class ParameterForm(QWidget):
    """Shows parameters and asks for changes through `changed(key, value)`; holds no values of its own."""

    changed = pyqtSignal(str, object)

    def __init__(self, model: type[FamilyParameters]) -> None:
        super().__init__()
        self._origin: FamilyParameters | None = None
        self._lines: dict[str, _Line] = {}
        self._folds: dict[str, Fold] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        declared = model.declared()
        for question, words in QUESTIONS.items():
            asked = [known for known in declared if known.question == question]
            if asked:
                self._add_group(layout, question, words, asked)
        layout.addStretch(1)  # rows keep together, however high the form is made

    def _add_group(self, layout: QVBoxLayout, question: str, words: str, asked: list[Declared]) -> None:
        fold = Fold(words)
        fold.heading.setProperty("role", "group")
        fold.body.setContentsMargins(0, 1, 0, 3)
        fold.body.setSpacing(0)
        for known in asked:
            line = _Line(known, self)
            self._lines[known.key] = line
            fold.body.addWidget(line)
        self._folds[question] = fold
        layout.addWidget(fold)

    def origin_value(self, key: str) -> Any:
        """The set's own value."""
        return getattr(self._origin, key)

    def key_of(self, field: QWidget) -> str:
        """The parameter of a field; nothing for any other widget."""
        return next((key for key, line in self._lines.items() if line.field is field), "")

    def field(self, key: str) -> QWidget:
        """The field of one parameter."""
        return self._lines[key].field

    def show_parameters(
        self, values: FamilyParameters, origin: FamilyParameters, derived: Mapping[str, float] | None = None
    ) -> None:
        """Show values and mark those that differ from the set they came from.

        `derived` are what values that follow from others, and the shape of the part, are now.
        """
        self._origin = origin
        for key, line in self._lines.items():
            if line.known.follows is not None:
                line.show_following((derived or {}).get(key, line.known.follows(values)))
            line.show_value(getattr(values, key), origin=getattr(origin, key))
            line.setVisible(line.known.applies_when(values))
