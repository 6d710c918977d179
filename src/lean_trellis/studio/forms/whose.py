"""Two people have saved the same thing: for each value that differs it is chosen whose to take."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from lean_trellis.core.sets.merging import Disagreement, Key
from lean_trellis.studio.forms.fields import muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable

_MINE, _THEIRS = "yours", "theirs"


class WhoseValues(QWidget):
    """The values in a list, where a click takes the other; below, to save what is taken, or not to save."""

    merged = pyqtSignal()
    given_up = pyqtSignal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self._values: tuple[Disagreement, ...] = ()
        self._mine: set[Key] = set()
        self.note = muted()
        self.values = PickTable(("Value", "Yours", "Theirs", "Take"), several=False, widths={1: 72, 2: 72, 3: 54})
        self.values.setObjectName(f"{name}.values")
        self.values.setAccessibleName("Values that differ; click one to take the other")
        self.values.selected.connect(self._take_other)
        self.merge = button("Save what is taken", self.merged.emit, name=f"{name}.merge")
        self.give_up = button("Do not save", self.given_up.emit, name=f"{name}.give_up")
        lines = QVBoxLayout(self)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(4)
        for widget in (self.note, self.values, row(self.merge, self.give_up, 1, spacing=5)):
            lines.addWidget(widget)
        self.hide()

    @property
    def taken(self) -> frozenset[Key]:
        """The keys of the values of which mine is taken."""
        return frozenset(self._mine)

    def ask(self, who: str, version: int, values: Sequence[Disagreement]) -> None:
        """Show what differs from what somebody has saved meanwhile."""
        self._values = tuple(values)
        self._mine = {one.key for one in values if one.is_mine}
        saved = f"{who or 'Somebody else'} has saved version {version} meanwhile."
        self.note.setText(f"{saved} Click a value to take the other.")
        self._show()
        self.show()

    def _show(self) -> None:
        rows = [(one.key, (one.label, one.mine, one.theirs, _MINE if one.key in self._mine else _THEIRS))
                for one in self._values]  # fmt: skip
        self.values.show_rows(rows, [])

    def _take_other(self, keys: list[Key]) -> None:
        self._mine ^= set(keys)
        self._show()
