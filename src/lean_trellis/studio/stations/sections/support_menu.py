"""What can be done with the current support, as a menu of its row and of a button; and another set for it."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QMenu, QWidget

from lean_trellis.core.job.edits import copies_of
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.sections.change_set import ChangeSet


class SupportMenu(QMenu):
    """Each entry says what it will do; what cannot be done now is greyed out."""

    extended = pyqtSignal()
    repeated = pyqtSignal()
    copied = pyqtSignal()
    deleted = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session = session
        self.setObjectName("supports.menu")
        self.setToolTipsVisible(True)
        self.sets = ChangeSet(session, self)
        self.addMenu(self.sets)
        self.extend = self._entry(
            "Add selected regions", "The support is extended to the selected regions", self.extended
        )
        self.again = self._entry("Repeat on selected regions", "A new support with the same settings",
                                 self.repeated)  # fmt: skip
        self.copies = self._entry("Apply to copies", "The same support on all copies of the part, or on the selected "
                                  "copies", self.copied)  # fmt: skip
        self.addSeparator()
        self.delete = self._entry("Delete support", "Del, while no bar or wall is selected", self.deleted)

    def _entry(self, words: str, hint: str, signal: object) -> QAction:
        action = QAction(words, self)
        action.setToolTip(hint)
        action.triggered.connect(lambda _: signal.emit())  # type: ignore[attr-defined]
        self.addAction(action)
        return action

    def refresh(self, *, regions_selected: bool) -> None:
        """Enable what can be done now."""
        support = self.session.support
        has_target = support is not None and support.target is not None
        self.sets.setEnabled(support is not None)
        self.extend.setEnabled(has_target and regions_selected)
        self.again.setEnabled(support is not None and regions_selected)
        self.copies.setEnabled(support is not None and bool(copies_of(self.session.job, support.part_id)))
        self.delete.setEnabled(support is not None)
