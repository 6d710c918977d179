"""Another set for the support that is current; choosing what the next one will be is another control."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu, QPushButton

from lean_trellis.core.job.edits import use_set
from lean_trellis.core.sets import ParameterSet, shipped_sets
from lean_trellis.core.supports import Support
from lean_trellis.core.supports.common.spec import spec_for, spec_of
from lean_trellis.core.supports.common.support import HandWork
from lean_trellis.studio.session import Session


class ChangeSet(QPushButton):
    """A button with the sets that the current support could have; each says what it would replace."""

    def __init__(self, session: Session) -> None:
        super().__init__("Change set")
        self.session = session
        self.setObjectName("supports.change_set")
        self.setToolTip("Give the current support another set; each says what it replaces")
        self.sets = QMenu(self)
        self.sets.aboutToShow.connect(self._offer)
        self.setMenu(self.sets)

    def refresh(self) -> None:
        """Only where there is a support to change."""
        self.setEnabled(self.session.support is not None)

    def _offer(self) -> None:
        self.sets.clear()
        support, process = self.session.support, self.session.job.machine.process
        if support is None:
            return
        for chosen in shipped_sets().values():
            if not chosen.suits(process):
                continue
            action = self.sets.addAction(self._words(support, chosen))
            assert action is not None, "a menu makes the actions it is given words for"
            action.setData(chosen.name)
            action.setEnabled(chosen.name != support.set_name)
            action.triggered.connect(lambda _, chosen=chosen: self.change(chosen))

    def _words(self, support: Support, chosen: ParameterSet) -> str:
        """A set's name, and what of the support it would replace."""
        if chosen.name == support.set_name:
            return f"{chosen.title} (now)"
        spec, totals = spec_for(chosen.parameters), self.session.totals(support)
        if spec is spec_of(support):
            return f"{chosen.title}: other values"
        there = "what is there" if totals is None else str(totals.counted)
        by_hand = " and all manual edits" if support.hand != HandWork() else ""
        return f"{chosen.title}: {spec.title.lower()} instead of {there}{by_hand}"

    def change(self, chosen: ParameterSet) -> None:
        """Give the current support a set, and say what was replaced."""
        support = self.session.support
        if support is None:
            return
        totals, is_other = self.session.totals(support), spec_for(chosen.parameters) is not spec_of(support)
        if self.session.do(lambda job: use_set(job, support.id, chosen)) and is_other and totals is not None:
            self.session.said.emit("note", f"{totals.counted} replaced by {chosen.title}; Ctrl+Z brings them back")
