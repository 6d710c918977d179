"""Saving the current support's values: to its set as the next version, or as a new set of the shop's own."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any, cast

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QPushButton, QVBoxLayout, QWidget

from lean_trellis.core.job.edits import use_set
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.sets.merging import merged_set, set_differences
from lean_trellis.core.sets.saved import SETS
from lean_trellis.core.shop.store.kept import ChangedMeanwhileError
from lean_trellis.core.supports import Support
from lean_trellis.studio.forms.fields import TextField, row
from lean_trellis.studio.forms.numbers import value_words
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.whose import WhoseValues
from lean_trellis.studio.session import Session


def _entry(holder: QWidget, words: str, act: Callable[[], None]) -> QAction:
    action = QAction(words, holder)
    action.triggered.connect(lambda _: act())
    return action


class SaveSet(QWidget):
    """A button with a menu, to be put where the set is named; below it, while they are needed, two panels.

    One asks for a name and a note for a new set, one for each value whose to take where somebody was quicker.
    """

    saved = pyqtSignal(str)
    """The name of the set that was saved."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.save, self.save_as, self.back = (
            _entry(self, words, act) for words, act in (
                ("Save to the set, as its next version", self._save),
                ("Save as new set …", self._ask), ("Back to the values of the set", self._go_back),
            )
        )  # fmt: skip
        self.menu = QMenu(self)
        self.menu.setToolTipsVisible(True)
        self.from_now_on = QMenu("From now on", self.menu)
        self.from_now_on.setToolTipsVisible(True)
        self.from_now_on.aboutToShow.connect(self._offer_values)
        for action in (self.save, self.save_as):
            self.menu.addAction(action)
        self.menu.addMenu(self.from_now_on)
        self.menu.addAction(self.back)
        self.button = QPushButton("Save")
        self.button.setObjectName("set.menu")
        self.button.setToolTip("Save these values for the next time")
        self.button.setMenu(self.menu)
        self.title, self.why = TextField(), TextField()
        for field, name, words in ((self.title, "set.title", "Name of the new set"),
                                   (self.why, "set.why", "What it is for")):  # fmt: skip
            field.setObjectName(name)
            field.setAccessibleName(words)
            field.setPlaceholderText(words)
        # Once Return has been dealt with: with the field gone it would press what has the focus then.
        cast(Any, self.title.returnPressed).connect(self._save_as, Qt.ConnectionType.QueuedConnection)
        self.keep = button("Save", self._save_as, name="set.keep")
        self.cancel = button("Cancel", self._end, name="set.cancel")
        self.naming, self.conflict = QWidget(), WhoseValues("set")
        self.conflict.merged.connect(self._save_merged)
        self.conflict.given_up.connect(self._end)
        lines = QVBoxLayout(self.naming)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(4)
        for widget in (self.title, self.why, row(self.keep, self.cancel, 1, spacing=5)):
            lines.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        for widget in (self.naming, self.conflict):
            column.addWidget(widget)
        self._mine: ParameterSet | None = None
        self._theirs: ParameterSet | None = None
        self._shown_for = ""
        self._end()

    # --- what is done ---

    def _go_back(self) -> None:
        support, origin = self.session.support, self._origin()
        if support is not None and origin is not None:
            self.session.do(lambda job: use_set(job, support.id, origin))

    def _ask(self) -> None:
        self.conflict.hide()
        self.naming.show()
        self.title.setFocus()

    def _end(self) -> None:
        self.naming.hide()
        self.conflict.hide()
        self.title.clear()
        self.why.clear()
        self._mine = self._theirs = None

    def _save_as(self) -> None:
        support, origin = self.session.support, self._origin()
        if support is None or origin is None:
            return
        base = replace(origin, parameters=support.parameters, process=self.session.job.machine.process)
        note = self.why.text().strip()
        self._done(support, lambda: self.session.sets.save_as(base, self.title.text(), note=note, why=note))

    def _save(self) -> None:
        support, origin = self.session.support, self._origin()
        if support is None or origin is None:
            return
        changed = replace(origin, parameters=support.parameters)
        self._done(support, lambda: self.session.sets.save(changed))

    def _offer_values(self) -> None:
        """One entry for each value that differs from the set's."""
        self.from_now_on.clear()
        support, origin = self.session.support, self._origin()
        if support is None or origin is None or type(origin.parameters) is not type(support.parameters):
            return
        for key, (here, there) in support.parameters.differences(origin.parameters).items():
            known = type(support.parameters).declared_as(key)
            words = f"{known.label}: {value_words(here)} {known.unit}".rstrip()
            action = self.from_now_on.addAction(words)
            assert action is not None
            action.setData(key)
            action.setToolTip(f"New supports of this set begin with it; the set has {value_words(there)} now")
            action.triggered.connect(partial(self._keep_from_now_on, key))

    def _keep_from_now_on(self, key: str, _checked: bool = False) -> None:
        """Make one value the default of the set: a next version of an own set, of one that ships a set of one's own."""
        support, origin, sets = self.session.support, self._origin(), self.session.sets
        if support is None or origin is None:
            return
        latest = sets.every().get(origin.name, origin)
        changed = replace(latest, parameters=latest.parameters.with_value(key, getattr(support.parameters, key)))
        if sets.is_own(origin.name):
            save = partial(sets.save, changed)
        else:
            save = partial(sets.save_as, changed, f"{origin.title}, own", note=origin.note)
        own = support.parameters

        def done(kept: ParameterSet) -> None:
            self.session.do(lambda job: use_set(job, support.id, kept, own))
            label, value = type(own).declared_as(key).label.lower(), value_words(getattr(own, key))
            self.session.said.emit("note", f"From now on {kept.title} has {label} {value}")
            self.saved.emit(kept.name)

        self.session.library_work.ask(save, done)

    def _save_merged(self) -> None:
        support, mine, theirs = self.session.support, self._mine, self._theirs
        if support is None or mine is None or theirs is None:
            return
        self._done(support, lambda: self.session.sets.save(merged_set(mine, theirs, self.conflict.taken)))

    def _done(self, support: Support, save: Callable[[], ParameterSet]) -> None:
        """Save, and let the support be of what was saved; a refusal is said, a conflict shown."""

        def done(kept: ParameterSet) -> None:
            self._end()
            self.session.do(lambda job: use_set(job, support.id, kept))
            self.session.said.emit("note", f"Saved {kept.title}, version {kept.version}")
            self.saved.emit(kept.name)

        def refused(problem: Exception) -> None:
            if isinstance(problem, ChangedMeanwhileError):
                self._show_conflict(support, problem)
            else:
                self._refuse(problem)

        self.session.library_work.ask(save, done, refused)

    def _refuse(self, problem: Exception) -> None:
        self.session.said.emit("stop", str(problem))

    # --- two at once ---

    def _show_conflict(self, support: Support, problem: ChangedMeanwhileError) -> None:
        theirs = SETS.read_kept(problem.theirs, problem.theirs.id)
        origin = self._origin()
        if origin is None or type(theirs.parameters) is not type(support.parameters):
            self.session.said.emit("stop", str(problem))
            return
        self._mine, self._theirs = replace(origin, parameters=support.parameters), theirs
        conflicts = set_differences(self._mine, theirs, origin)
        self.conflict.ask(problem.theirs.who, theirs.version, conflicts)
        self.naming.hide()

    # --- what is shown ---

    def _origin(self) -> ParameterSet | None:
        """The set that the current support was made with."""
        support = self.session.support
        if support is None:
            return None
        return self.session.job.set_of(support) or self.session.sets.every().get(support.set_name)

    def refresh(self) -> None:
        """Show what can be done with the current support's values."""
        support, origin = self.session.support, self._origin()
        if self._shown_for != self.session.selection.support:
            self._shown_for = self.session.selection.support
            self._end()
        self.button.setEnabled(support is not None and origin is not None)
        if support is None or origin is None:
            return
        is_same = type(origin.parameters) is type(support.parameters)
        differs = is_same and bool(support.parameters.differences(origin.parameters))
        self.back.setEnabled(differs)
        self.from_now_on.setEnabled(differs)
        self.save.setEnabled(differs and self.session.sets.is_own(origin.name))
        is_shipped = not self.session.sets.is_own(origin.name)
        self.save.setToolTip(
            "Sets that ship stay as they are: save it as a new set" if is_shipped
            else "As its next version; older ones stay"
        )  # fmt: skip
