"""All values of the machine or the material: changed for this build alone, or kept as one's own."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QLabel, QLineEdit

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job import Edit, Job
from lean_trellis.core.shop import Library, Machine, Material, full_library, keep_own
from lean_trellis.core.shop.values import differences, flat_values
from lean_trellis.core.shop.words import text_of, words_of
from lean_trellis.studio.forms.fields import muted, row
from lean_trellis.studio.forms.numbers import parse_number
from lean_trellis.studio.forms.section import Section, button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.session import Session


class ValuesSection(Section):
    """The values of what `thing_of` gives of a job; `change` is the edit that changes one."""

    def __init__(
        self,
        session: Session,
        words: str,
        name: str,
        thing_of: Callable[[Job], Machine | Material],
        change: Callable[[Job, str, Any], Edit],
    ) -> None:
        super().__init__(session, words, is_open=False)
        self._title, self._thing_of, self._change = words, thing_of, change
        self._changed: set[str] = set()
        self.table = PickTable(("Value", "Here", "Library"), several=False, widths={1: 82, 2: 82})
        self.table.setObjectName(f"{name}.values")
        self.table.setFixedHeight(200)
        self.table.selected.connect(lambda _: self._show_value())
        self.body.addWidget(self.table)
        self.what = muted()
        self.what.hide()
        self.body.addWidget(self.what)
        self.field = QLineEdit()
        self.field.setObjectName(f"{name}.value")
        self.field.returnPressed.connect(self._set)
        self.set_button = button("Set", self._set, "For this build only; undo reverts it", name=f"{name}.set")
        self.back = button("↺", self._take_back, "Back to the library's value", name=f"{name}.back")
        self.body.addWidget(row(QLabel("Change to"), self.field, self.set_button, self.back, spacing=6))
        self.own_name = QLineEdit()
        self.own_name.setObjectName(f"{name}.own.name")
        self.own_name.setPlaceholderText("a name of your own")
        self.keep = button("Save to my library", self._keep, "To choose it in other jobs", name=f"{name}.own")
        self.body.addWidget(row(self.own_name, self.keep, spacing=6))
        self.note = muted()
        self.body.addWidget(self.note)

    def _thing(self) -> Machine | Material:
        return self._thing_of(self.session.job)

    def _of_library(self) -> Machine | Material | None:
        thing, library = self._thing(), self.session.library
        return library.machines.get(thing.id) if isinstance(thing, Machine) else library.materials.get(thing.id)

    def _key(self) -> str:
        keys = self.table.selected_keys()
        return str(keys[0]) if keys else ""

    def _show_value(self) -> None:
        values = flat_values(self._thing())
        value = values.get(self._key())
        self.field.setText("" if value is None else str(value))
        words = words_of(self._key(), values)
        self.what.setText(words.help or words.label)
        self.what.setVisible(value is not None)
        self.back.setEnabled(self._key() in self._changed)

    def labels(self) -> dict[str, str]:
        """What each value is called, by its key."""
        values = flat_values(self._thing())
        return {key: words_of(key, values).label for key in values if not key.endswith((".source", ".unit"))}

    def show_key(self, key: str) -> None:
        """Open the list at a value."""
        self.heading.setChecked(True)
        self.table.pick([key])
        self._show_value()
        self.field.setFocus()
        self.field.selectAll()

    def _set(self) -> None:
        key = self._key()
        if not key:
            self.session.said.emit("note", "Select a value in the list first")
            return
        old = flat_values(self._thing()).get(key)
        try:
            value = parse_number(self.field.text()) if isinstance(old, int | float) else self.field.text()
        except TrellisError as problem:
            self.session.said.emit("stop", str(problem))
            return
        is_whole = isinstance(old, int) and not isinstance(old, bool) and isinstance(value, float)
        self._do(key, round(value) if is_whole and isinstance(value, float) else value)

    def _take_back(self) -> None:
        key, library = self._key(), self._of_library()
        if key and library is not None:
            self._do(key, flat_values(library).get(key))

    def _do(self, key: str, value: Any) -> None:
        if self.session.do(lambda job: self._change(job, key, value)):
            self._say_where_it_does_not_act(key, value)
        self.refresh()

    def _say_where_it_does_not_act(self, key: str, value: Any) -> None:
        """A constant may be overridden by a value for the plate surface or for this machine and layer height."""
        steps = key.split(".")
        if steps[0] != "constants" or steps[-1] != "value" or steps[1] not in self.session.job.constants:
            return
        used = self.session.job.constants[steps[1]].value
        if used != value:
            label = words_of(key, flat_values(self._thing())).label
            self.session.said.emit(
                "note", f"{label}: {used:g} is used here, the value for this surface or layer height; change that one"
            )

    def _keep(self) -> None:
        session, thing, name = self.session, self._thing(), self.own_name.text()

        def done(saved: tuple[Machine | Material, Library]) -> None:
            kept, session.library = saved
            job = session.job
            machine, material = (kept, job.material) if isinstance(kept, Machine) else (job.machine, kept)
            session.choose_shop(machine.id, material.id)
            session.said.emit("fine", f"Saved to your library as {kept.name}")
            self.own_name.clear()

        session.library_work.ask(lambda: (keep_own(thing, name), full_library()), done)

    def refresh(self) -> None:
        """Show all values, those that differ from the library's first to see."""
        thing, library = self._thing(), self._of_library()
        theirs = flat_values(library) if library is not None else {}
        changed = {} if library is None else {one.key: one for one in differences(thing, library)}
        self._changed = set(changed)
        values = flat_values(thing)
        order = sorted(values, key=lambda key: (isinstance(values[key], str), not _is_usual(key)))
        rows = [
            (
                key,
                (
                    f"{'● ' if key in changed else ''}{words_of(key, values).label}",
                    text_of(key, values[key], values),
                    text_of(key, theirs.get(key), values),
                ),
            )
            for key in order
            if not key.endswith((".source", ".unit"))
        ]
        self.table.show_rows(rows, self.table.selected_keys())
        self.set_words(f"{self._title}, {len(changed)} changed for this build" if changed else self._title)
        self.back.setEnabled(self._key() in changed)
        self.note.setText(f"{thing.name}: ● differs from the library." if changed else f"{thing.name}.")


def _is_usual(key: str) -> bool:
    """Whether a value is one that builds are tuned by: those come first in the list."""
    return key.startswith(("constants.", "detection.", "build_offset", "plate.", "height"))
