"""One rule of a recipe: which regions it takes, and what it gives them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QLabel, QSizePolicy, QVBoxLayout, QWidget

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.sets.recipe import RANGES, Rule, Use
from lean_trellis.core.supports.common.support import Support
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, TextField, muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.session import Session

_KINDS = (("face", "Faces"), ("edge", "Edges"), ("point", "Points"), ("island", "Islands"))
_PLACES = [("any", "anywhere"), ("inner", "above the part itself"), ("outer", "above plate or other part")]
_SURFACES = [("any", "any surface"), ("protected", "protected surfaces"), ("free", "unprotected surfaces")]
_LEAVE, _NONE = "", ""
_UNIT_PX = 32


class RuleForm(QWidget):
    """Shows a rule and asks for changes through `changed(rule)`; what cannot be is said, and the rule stays."""

    changed = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._rule: Rule | None = None
        self.name = TextField()
        self.name.setObjectName("rule.name")
        self.name.editingFinished.connect(lambda: self._text("name", self.name))
        self.kinds = {key: self._tick(key, words) for key, words in _KINDS}
        self.ends = {f"{end}_{key}": self._number(f"{end}_{key}", RANGES[key]) for key in RANGES
                     for end in ("least", "most")}  # fmt: skip
        self.place, self.surface = (
            self._choice(key, choices) for key, choices in (("place", _PLACES), ("surface", _SURFACES))
        )
        self.set = self._choice("set", [])
        self.also = self._choice("also", [])
        self.leave = TextField()
        self.leave.setObjectName("rule.leave")
        self.leave.setPlaceholderText("Why, for example: logo, holds by itself")
        self.leave.editingFinished.connect(lambda: self._text("leave", self.leave))
        self.values = muted()
        self.values.setObjectName("rule.values")
        self.take = button("Use values of current support", self._take_values, "What the current support has otherwise "
                           "than this set becomes the rule's", name="rule.take")  # fmt: skip
        self.plain = button("Set's own values", self._drop_values, "The rule changes nothing of the set",
                            name="rule.plain")  # fmt: skip
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addWidget(row("Rule", self.name))
        column.addWidget(row(*self.kinds.values(), 1, spacing=6))
        for key, (words, unit, hint) in RANGES.items():
            of = QLabel(unit)
            of.setFixedWidth(_UNIT_PX)
            line = row(words, 1, self.ends[f"least_{key}"], "to", self.ends[f"most_{key}"], of, spacing=6)
            line.setToolTip(f"{hint[:1].upper()}{hint[1:]}. Empty: no limit.")
            column.addWidget(line)
        column.addWidget(row("Where", self.place, self.surface))
        column.addWidget(row("Gives", self.set))
        self._also_row, self._leave_row = row("and", self.also), row("Reason", self.leave)
        column.addWidget(self._also_row)
        column.addWidget(self._leave_row)
        column.addWidget(self.values)
        column.addWidget(row(self.take, self.plain, 1, spacing=5))

    def _tick(self, key: str, words: str) -> QCheckBox:
        box = QCheckBox(words)
        box.setObjectName(f"rule.{key}")
        box.clicked.connect(lambda _: self._kinds())
        return box

    def _number(self, key: str, measure: tuple[str, str, str]) -> NumberField:
        field = NumberField(measure[1], may_be_empty=True, width=58)
        field.setObjectName(f"rule.{key}")
        field.setAccessibleName(f"{measure[0]}, {'from' if key.startswith('least') else 'to'}")
        field.setPlaceholderText("–")
        field.taken.connect(lambda value: self._try(**{key: value}))
        field.emptied.connect(lambda: self._try(**{key: None}))
        return field

    def _choice(self, key: str, choices: list[tuple[str, str]]) -> ChoiceField:
        field = ChoiceField()
        field.setObjectName(f"rule.choice.{key}")
        field.offer(choices, "any")
        field.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        act: Callable[[str], None] = {"set": self._choose_set, "also": self._choose_also}.get(
            key, lambda value: self._try(**{key: value})
        )
        field.chosen.connect(act)
        return field

    # --- changes ---

    def _try(self, **changes: Any) -> None:
        """Ask for the changed rule, if there can be such a one."""
        if self._rule is None:
            return
        try:
            changed = Rule.model_validate({**self._rule.model_dump(), **changes})
            for use in changed.uses:
                use.parameters(self.session.sets.every())
        except (ValueError, TrellisError) as problem:
            words = str(problem) if isinstance(problem, TrellisError) else _first_fault(problem)
            self.session.said.emit("stop", words)
            self.show_rule(self._rule)
            return
        if changed != self._rule:
            self.changed.emit(changed)

    def _text(self, key: str, field: TextField) -> None:
        if self._rule is not None and field.text().strip() and field.text().strip() != getattr(self._rule, key):
            self._try(**{key: field.text().strip()})

    def _kinds(self) -> None:
        chosen = [key for key, box in self.kinds.items() if box.isChecked()]
        if chosen:
            self._try(kinds=chosen)
        elif self._rule is not None:
            self.session.said.emit("note", "A rule takes at least one kind of region")
            self.show_rule(self._rule)

    def _choose_set(self, name: str) -> None:
        if name == _LEAVE:
            self._try(set="", values={}, also=[], leave="left alone")
        else:
            self._try(set=name, values={}, leave="")

    def _choose_also(self, name: str) -> None:
        self._try(also=[] if name == _NONE else [Use(set=name).model_dump()])

    def _take_values(self) -> None:
        support, rule = self.session.support, self._rule
        if support is None or rule is None:
            return
        values = self._values_of(support, rule)
        if values is None:
            self.session.said.emit("note", "The current support is of another family than the rule's set")
            return
        self._try(values=values)

    def _values_of(self, support: Support, rule: Rule) -> dict[str, Any] | None:
        base = self.session.sets.every().get(rule.set)
        if base is None or type(base.parameters) is not type(support.parameters):
            return None
        differing = support.parameters.differences(base.parameters)
        return {key: here for key, (here, _) in differing.items() if here is not None}

    def _drop_values(self) -> None:
        self._try(values={})

    # --- what is shown ---

    def show_rule(self, rule: Rule | None) -> None:
        """Show a rule; nothing can be typed where there is none."""
        self._rule = rule
        self.setEnabled(rule is not None)
        if rule is None:
            return
        process = self.session.job.machine.process
        sets = [(one.name, one.title) for one in self.session.sets.every().values() if one.suits(process)]
        self.name.setText(rule.name)
        for kind, box in self.kinds.items():
            box.setChecked(kind in rule.kinds)
        for key, field in self.ends.items():
            field.show_value(getattr(rule, key))
        self.place.offer(_PLACES, rule.place)
        self.surface.offer(_SURFACES, rule.surface)
        self.set.offer([*sets, (_LEAVE, "nothing: leave alone")], rule.set)
        self.also.offer([(_NONE, "nothing else"), *sets], rule.also[0].set if rule.also else _NONE)
        self.leave.setText(rule.leave)
        self._leave_row.setVisible(bool(rule.leave))
        self._also_row.setVisible(bool(rule.set))
        known = self.session.sets.every().get(rule.set)
        model = None if known is None else type(known.parameters)
        words = [f"{key if model is None else model.declared_as(key).label.lower()} {value:g}"
                 if isinstance(value, float) else f"{key} {value}" for key, value in rule.values.items()]  # fmt: skip
        more = f" And {len(rule.also) - 1} more sets." if len(rule.also) > 1 else ""
        self.values.setText((f"Instead of the set's: {', '.join(words)}." if words else "") + more)
        self.values.setVisible(bool(words or more))
        self.take.setVisible(bool(rule.set))
        self.take.setEnabled(self.session.support is not None)
        self.plain.setVisible(bool(rule.values))


def _first_fault(problem: ValueError) -> str:
    errors = getattr(problem, "errors", None)
    words = str(errors()[0]["msg"]) if callable(errors) else str(problem)
    return words.removeprefix("Value error, ").capitalize()
