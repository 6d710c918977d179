"""Another set for the support that is current; choosing what the next one will be is another control."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu, QWidget

from lean_trellis.core.job.edits import use_set
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.supports import Support
from lean_trellis.core.supports.common.spec import spec_for, spec_of
from lean_trellis.core.supports.common.support import HandWork
from lean_trellis.studio.session import Session


class ChangeSet(QMenu):
    """The sets that the current support could have; each says what it would replace."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__("Change set to", parent)
        self.session = session
        self.setObjectName("supports.change_set")
        self.aboutToShow.connect(self._offer)

    def _offer(self) -> None:
        self.clear()
        support, process = self.session.support, self.session.job.machine.process
        if support is None:
            return
        for chosen in self.session.sets.every().values():
            if not chosen.suits(process):
                continue
            action = self.addAction(self._words(support, chosen))
            assert action is not None, "a menu makes its actions"
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
        there = "the support there" if totals is None else str(totals.counted)
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
