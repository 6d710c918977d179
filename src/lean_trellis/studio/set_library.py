"""The shop's parameter sets in a window of their own: found, looked at on a specimen, compared, changed, saved."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QColor, QPixmap
from PyQt6.QtWidgets import QApplication, QCheckBox, QFileDialog, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import ParameterError, TrellisError
from lean_trellis.core.sets import ParameterSet, shipped_sets
from lean_trellis.core.sets.merging import merged_set, set_differences
from lean_trellis.core.sets.saved import SETS
from lean_trellis.core.sets.text import set_text
from lean_trellis.core.shop.address import ADDRESS
from lean_trellis.core.shop.store.kept import ChangedMeanwhileError, Kept
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.spec import require_buildable, spec_for
from lean_trellis.studio.archived import offer_archived
from lean_trellis.studio.forms.fields import ChoiceField, NumberField, TextField, figure, muted, row, title
from lean_trellis.studio.forms.numbers import value_words
from lean_trellis.studio.forms.parameter_form import ParameterForm
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.sketch import Sketch
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.forms.whose import WhoseValues
from lean_trellis.studio.looks import look_for
from lean_trellis.studio.meant_for import MeantForRow
from lean_trellis.studio.session import Session
from lean_trellis.studio.specimen_requests import MakeSpecimen, Specimen
from lean_trellis.studio.theme import DAY, rgb
from lean_trellis.studio.thumbnails import drawn

_SIZE, _PICTURE = (1180, 740), (330, 230)
_LIST_PX, _SIDE_PX, _COMPARED_PX = 330, 350, 150
_SOON_MS = 200
_TURN_DEG = 32.0
_NOTHING = ""


class SetLibrary(QWidget):
    """A list with search and favourites, the form of the set that is chosen, its specimen and what it is compared with.

    What is changed is a draft until it is saved. The job is not touched.
    """

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.session = session
        self.draft: ParameterSet | None = None
        self._specimen_of: object = None
        self.setWindowTitle("Parameter sets")
        self.resize(*_SIZE)
        self._due = QTimer(self)
        self._due.setSingleShot(True)
        self._due.setInterval(_SOON_MS)
        self._due.timeout.connect(self._make_specimen)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 12, 14, 12)
        layout.setSpacing(14)
        layout.addWidget(self._list_side())
        layout.addWidget(self._form_side(), 1)
        layout.addWidget(self._specimen_side())
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._focus_moved)

    # --- what it is made of ---

    def _list_side(self) -> QWidget:
        self.search = TextField()
        self.search.setObjectName("library.search")
        self.search.setAccessibleName("Find a set")
        self.search.setPlaceholderText("Find a set by name, family or note")
        self.search.textChanged.connect(lambda _: self.refresh())
        self.all_processes = QCheckBox("Other processes too")
        self.all_processes.setObjectName("library.all")
        self.all_processes.clicked.connect(lambda _: self.refresh())
        self.table = PickTable(("", "Set", "Family", "v"), several=False, stretch=1)
        self.table.setObjectName("library.sets")
        self.table.setAccessibleName("Parameter sets")
        self.table.selected.connect(lambda keys: self.choose(str(keys[0])) if keys else None)
        self.star = button(
            "★ Favourite", self._favour, "Favourites come first, here and at Supports", name="library.star"
        )
        self.archived = button("Archived…", self._offer_archived, "Sets that were archived can be offered again",
                               name="library.archived")  # fmt: skip
        self.address = TextField()
        self.address.setObjectName("library.address")
        self.address.setAccessibleName("Address of the shop library")
        self.address.setPlaceholderText("Shop library: a file of your own")
        self.address.setToolTip("A database URL, such as postgresql+psycopg://user@server/shop; empty: your own file")
        self.address.setText(self.session.settings.library)
        self.address.editingFinished.connect(self._use_address)
        lines = (title("Parameter sets"), self.search, self.all_processes, self.table,
                 row(self.star, self.archived, 1, spacing=6), self.address)  # fmt: skip
        return _column(_LIST_PX, *lines)

    def _use_address(self) -> None:
        """Another shop library; what the environment says goes before it."""
        if self.address.text().strip() != self.session.settings.library:
            self.session.use_library(self.address.text())
            said = " (LEAN_TRELLIS_LIBRARY goes before it)" if os.environ.get(ADDRESS) else ""
            self.session.said.emit("note", f"Shop library: {self.address.text().strip() or 'your own file'}{said}")
            self.draft = None
            self.refresh()

    def _form_side(self) -> QWidget:
        self.heading, self.note = title(""), TextField()
        self.note.setObjectName("library.note")
        self.note.setAccessibleName("What the set is for")
        self.note.setPlaceholderText("What it is for")
        self.note.editingFinished.connect(self._note_changed)
        self.meant = MeantForRow()
        self.meant.changed.connect(self._take_draft)
        self.wrong = muted()
        self.wrong.setObjectName("library.wrong")
        self._forms: dict[type[FamilyParameters], ParameterForm] = {}
        page = QWidget()
        self._place = QVBoxLayout(page)
        self._place.setContentsMargins(0, 0, 8, 0)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidget(page)
        self.why = TextField()
        self.why.setObjectName("library.why")
        self.why.setAccessibleName("What was changed and why")
        self.why.setPlaceholderText("What was changed and why")
        self.save = button("Save", self._save, "As the set's next version; older ones stay", name="library.save")
        self.save.setProperty("role", "main")
        self.undo = button("Discard changes", self._discard, name="library.undo")
        self.name = TextField()
        self.name.setObjectName("library.name")
        self.name.setAccessibleName("Name of a new set")
        self.name.setPlaceholderText("Name of a new set")
        self.save_as = button("Save as new set", self._save_as, name="library.save_as")
        self.export = button("Export…", self._export, "As TOML, with what each value means", name="library.export")
        self.put_away = button("Archive", self._put_away, "It is offered no more; its versions stay",
                               name="library.archive")  # fmt: skip
        self.conflict = WhoseValues("library")
        self.conflict.merged.connect(self._save_merged)
        self.conflict.given_up.connect(self.conflict.hide)
        self._theirs: ParameterSet | None = None
        lines = (self.heading, self.note, self.meant, self.wrong, self.conflict, scroll,
                 row(self.why, self.save, self.undo, spacing=6),
                 row(self.name, self.save_as, self.export, self.put_away, spacing=6))  # fmt: skip
        return _column(None, *lines, stretch=scroll)

    def _specimen_side(self) -> QWidget:
        self.picture = QLabel()
        self.picture.setFixedSize(*_PICTURE)
        self.picture.setObjectName("library.specimen")
        self.picture.setAccessibleName("The test shape with the support of these values")
        self.figures = figure()
        self.figures.setObjectName("library.figures")
        self.sketch = Sketch(DAY)
        self.other = ChoiceField()
        self.other.setObjectName("library.other")
        self.other.setMinimumContentsLength(18)
        self.other.chosen.connect(lambda _: self.refresh())
        self.compared = PickTable(("Value", "This", "Other"), several=False)
        self.compared.setObjectName("library.compared")
        self.compared.setAccessibleName("Values that differ")
        self.compared.setFixedHeight(_COMPARED_PX)
        self.history = muted()
        self.history.setObjectName("library.history")
        return _column(_SIDE_PX, self.picture, self.figures, self.sketch, row("Compare with", self.other, 1),
                       self.compared, self.history)  # fmt: skip

    # --- what is chosen and changed ---

    def _saved(self) -> ParameterSet | None:
        return None if self.draft is None else self.session.sets.every().get(self.draft.name)

    def choose(self, name: str) -> None:
        """Show a set."""
        known = self.session.sets.every().get(name)
        if known is not None and (self.draft is None or self.draft.name != name):
            self.draft = known
            self.conflict.hide()
            self.wrong.setText("")
            self.refresh()

    def show_beside(self, name: str) -> None:
        """Compare with another set of the family."""
        self.other.setCurrentIndex(max(0, self.other.findData(name)))
        self.refresh()

    @property
    def shows_specimen(self) -> bool:
        """Whether the specimen is that of the draft."""
        job = self.session.job
        return self.draft is not None and self._specimen_of == (self.draft.parameters, job.machine, job.material)

    def form(self, model: type[FamilyParameters]) -> ParameterForm:
        """The form of a family, made when it is first asked for."""
        known = self._forms.get(model)
        if known is None:
            known = self._forms[model] = ParameterForm(model)
            known.changed.connect(self._change)
            self._place.addWidget(known)
        return known

    def _change(self, key: str, value: Any) -> None:
        """One value of the draft; what cannot be is said in words and the value stays."""
        draft = self.draft
        if draft is None or key not in type(draft.parameters).model_fields:
            return
        try:
            changed = draft.parameters.with_value(key, value)
            require_buildable(changed, self.session.job.material.detection.critical_angle)
        except ParameterError as problem:
            self.wrong.setText(str(problem))
            field = self.form(type(draft.parameters)).field(key)
            if isinstance(field, NumberField):
                field.show_wrong(str(problem))
            return
        self.wrong.setText("")
        self.draft = replace(draft, parameters=changed)
        self.refresh()

    def _note_changed(self) -> None:
        if self.draft is not None and self.note.text() != self.draft.note:
            self._take_draft(replace(self.draft, note=self.note.text()))

    def _take_draft(self, draft: ParameterSet) -> None:
        self.draft = draft
        self.refresh()

    def _discard(self) -> None:
        self.draft = self._saved()
        self.wrong.setText("")
        self.refresh()

    def _favour(self) -> None:
        if self.draft is not None:
            kept, name = list(self.session.settings.favourite_sets), self.draft.name
            self.session.settings.favourite_sets = (
                [one for one in kept if one != name] if name in kept else [*kept, name]
            )
            self.refresh()

    # --- saving ---

    def _save(self) -> None:
        draft = self.draft
        if draft is not None:
            self._done(lambda: self.session.sets.save(draft, why=self.why.text().strip()))

    def _save_as(self) -> None:
        draft = self.draft
        if draft is not None:
            why, saved = self.why.text().strip(), self._saved()
            owner = draft.owner if saved is None or draft.owner != saved.owner else ""
            self._done(lambda: self.session.sets.save_as(draft, self.name.text(), owner, note=draft.note, why=why))

    def _done(self, save: Callable[[], ParameterSet]) -> None:
        def done(kept: ParameterSet) -> None:
            self.draft = kept
            self.conflict.hide()
            self.why.clear()
            self.name.clear()
            self.wrong.setText("")
            self.session.said.emit("fine", f"Saved {kept.title}, version {kept.version}")
            self.refresh()

        self.session.library_work.ask(save, done, self._refuse)

    def _refuse(self, problem: Exception) -> None:
        self.wrong.setText(str(problem))
        draft, base = self.draft, self._saved()
        if isinstance(problem, ChangedMeanwhileError) and draft is not None and base is not None:
            self._theirs = SETS.read_kept(problem.theirs, problem.theirs.id)
            conflicts = set_differences(draft, self._theirs, base)
            if conflicts:
                self.wrong.setText("")
                self.conflict.ask(problem.theirs.who, self._theirs.version, conflicts)

    def _save_merged(self) -> None:
        draft, theirs = self.draft, self._theirs
        if draft is not None and theirs is not None:
            why = self.why.text().strip()
            self._done(lambda: self.session.sets.save(merged_set(draft, theirs, self.conflict.taken), why=why))

    def _put_away(self) -> None:
        draft, why = self.draft, self.why.text().strip()

        def done(_: None) -> None:
            self.draft = None
            self.refresh()

        if draft is not None:
            self.session.library_work.ask(lambda: self.session.sets.put_away(draft.name, why=why), done, self._refuse)

    def _offer_archived(self) -> None:
        offer_archived(self.session, self.session.sets, self.archived, self.choose)

    def _export(self) -> None:
        draft = self.draft
        if draft is None:
            return
        start = str(Path(self.session.folder) / f"{draft.name}.toml")
        chosen, _ = QFileDialog.getSaveFileName(self, "Export the set", start, "Parameter sets (*.toml)")
        if chosen:
            try:
                with written_whole(Path(chosen)) as file:
                    file.write(set_text(draft).encode())
            except TrellisError as problem:
                self.wrong.setText(str(problem))

    # --- the specimen ---

    def _make_specimen(self) -> None:
        """Have the specimen of the draft made beside the window."""
        draft, job = self.draft, self.session.job
        if draft is None or not self.isVisible():
            return
        of = (draft.parameters, job.machine, job.material)
        if of == self._specimen_of:
            return

        def made(specimen: Specimen) -> None:
            self._specimen_of = of
            self._show_specimen(draft, specimen)

        if not self.session.ask_quietly(MakeSpecimen(draft, job.machine, job.material), made):
            self._due.start()

    def _show_specimen(self, chosen: ParameterSet, specimen: Specimen) -> None:
        colour = rgb(QColor(look_for(chosen.parameters).colour(DAY)).name())
        shapes = [(mesh, np.tile(np.array(tint), (len(mesh.faces), 1)))
                  for mesh, tint in ((specimen.part, rgb(DAY.part_tints[0])), (specimen.support, colour))]  # fmt: skip
        turn = np.radians(_TURN_DEG)
        about = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
        self.picture.setPixmap(QPixmap.fromImage(drawn(shapes, about, _PICTURE, rise_deg=-8.0)))
        self.figures.setText(f"{specimen.words}, utilisation {specimen.used:.2f}")

    def _focus_moved(self, _old: QWidget | None, new: QWidget | None) -> None:
        draft = self.draft
        if draft is None or new is None:
            return
        key = self.form(type(draft.parameters)).key_of(new)
        if key:
            self.sketch.show_key(key)

    # --- what is shown ---

    def showEvent(self, event: Any) -> None:
        """Begin with what the next support is made with, or the first set."""
        super().showEvent(event)
        self.refresh()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """A draft that is not saved stays for the next time the window is opened."""
        self._due.stop()
        super().closeEvent(event)

    def refresh(self) -> None:
        """Show the list, the draft, what it differs in."""
        every, job = self.session.sets.every(), self.session.job
        stars, words = self.session.settings.favourite_sets, self.search.text().lower().split()
        takes_all, process = self.all_processes.isChecked(), job.machine.process
        shown = [one for one in every.values() if (takes_all or one.suits(process)) and _is_meant(one, words)]
        shown.sort(key=lambda one: (one.name not in stars, job.material.id not in one.materials, one.title))
        if self.draft is None and shown:
            self.draft = shown[0]
        draft, saved = self.draft, self._saved()
        rows = [(one.name, ("★" if one.name in stars else "", one.title, spec_for(one.parameters).title, one.version))
                for one in shown]  # fmt: skip
        self.table.show_rows(rows, [draft.name] if draft is not None else [])
        if draft is None:
            return
        base = draft if saved is None or type(saved.parameters) is not type(draft.parameters) else saved
        form = self.form(type(draft.parameters))
        for other in self._forms.values():
            other.setVisible(other is form)
        form.show_parameters(draft.parameters, base.parameters)
        is_own, is_changed = self.session.sets.is_own(draft.name), saved is not None and draft != saved
        ships = draft.name in shipped_sets() and saved is not None and draft.owner == saved.owner
        self.heading.setText(f"{draft.title}, version {draft.version}{'' if is_own else ' · ships with the program'}")
        if not self.note.hasFocus():
            self.note.setText(draft.note)
            self.note.setCursorPosition(0)
        self.meant.show_set(draft, self.session.library.materials.values(), ships=ships)
        self.save.setEnabled(is_own and is_changed)
        self.undo.setEnabled(is_changed)
        self.put_away.setEnabled(is_own)
        self.sketch.show_values(draft.parameters, job.layer_height)
        self._compare(draft)
        self._tell_history(draft)
        self._due.start()

    def _compare(self, draft: ParameterSet) -> None:
        alike = [one for one in self.session.sets.every().values()
                 if type(one.parameters) is type(draft.parameters) and one.name != draft.name]  # fmt: skip
        saved = self._saved()
        offered = [(_NOTHING, "its saved version" if saved is not None else "nothing")]
        offered += [(one.name, one.title) for one in alike]
        current = str(self.other.currentData())
        self.other.offer(offered, current if current in dict(offered) else _NOTHING)
        other = self.session.sets.every().get(str(self.other.currentData()), saved)
        if other is None:
            self.compared.show_rows([], [])
            return
        model = type(draft.parameters)
        rows = [(key, (model.declared_as(key).label, value_words(here), value_words(there)))
                for key, (here, there) in draft.parameters.differences(other.parameters).items()]  # fmt: skip
        self.compared.show_rows(rows, [])

    def _tell_history(self, draft: ParameterSet) -> None:
        def done(versions: tuple[Kept, ...]) -> None:
            lines = [f"v{one.version}  {one.changed_at[:10]}  {one.who}  {one.why}".rstrip() for one in versions[-4:]]
            self.history.setText("\n".join(reversed(lines)))

        work, name = self.session.library_work, draft.name
        work.ask(lambda: self.session.sets.history(name), done, lambda problem: self.history.setText(str(problem)))


def _is_meant(one: ParameterSet, words: list[str]) -> bool:
    text = f"{one.name} {one.title} {spec_for(one.parameters).title} {one.note}".lower()
    return all(word in text for word in words)


def _column(width: int | None, *widgets: QWidget, stretch: QWidget | None = None) -> QWidget:
    holder = QWidget()
    column = QVBoxLayout(holder)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(6)
    for widget in widgets:
        column.addWidget(widget, 1 if widget is stretch else 0)
    if stretch is None and width != _LIST_PX:
        column.addStretch(1)
    if width is not None:
        holder.setFixedWidth(width)
    return holder
