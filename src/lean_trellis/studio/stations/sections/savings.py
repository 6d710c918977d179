"""What would save most of the build: each change computed beside the window, one click to take it."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from lean_trellis.core.job import Job
from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.core.search.savings import Saving
from lean_trellis.studio.forms.fields import muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.requests import FindSavings
from lean_trellis.studio.session import Session

_HINT = "Supports left out or wider apart, higher layers, other modes: each computed as a build, with its findings."


class SavingsSection(QWidget):
    """Look for savings, read them, take one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._savings: tuple[Saving, ...] = ()
        self._savings_of: Job | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.look = button("What would save most?", self._look, "Each is computed as a build", name="savings.look")
        self.take = button("Take it", self._take, "Make the chosen change; undo takes it back", name="savings.take")
        column.addWidget(row(self.look, 1, self.take, spacing=6))
        self.words = muted(_HINT)
        column.addWidget(self.words)
        self.table = PickTable(("Change", "Time", "EUR"), several=False)
        self.table.setObjectName("savings.table")
        self.table.setAccessibleName("What would save most")
        self.table.selected.connect(lambda _: self._show_words())
        column.addWidget(self.table, 1)

    def _look(self) -> None:
        job = self.session.job

        def show(savings: tuple[Saving, ...]) -> None:
            self._savings, self._savings_of = savings, job
            self.refresh()
            self.session.said.emit("note", f"{len(savings)} savings found" if savings else "Nothing saves anything")

        self.session.ask("Looking for savings", FindSavings(job), show)

    def _chosen(self) -> Saving | None:
        keys = self.table.selected_keys()
        return self._savings[keys[0]] if keys and keys[0] < len(self._savings) else None

    def _take(self) -> None:
        chosen = self._chosen()
        if chosen is not None:
            self.session.do(chosen.edit)

    def _show_words(self) -> None:
        """The chosen change whole, and what it brings."""
        chosen = self._chosen()
        self.take.setEnabled(chosen is not None)
        if chosen is None:
            self.words.setText(_HINT)
            return
        fewer = f" and {chosen.material_changes} changes of material" if chosen.material_changes > 0 else ""
        more = f"; it brings {chosen.cautions_more} more cautions" if chosen.cautions_more > 0 else ""
        words = f"{chosen.words[:1].upper()}{chosen.words[1:]}"
        self.words.setText(f"{words} saves {hours_in_words(chosen.seconds)}{fewer}{more}.")

    def refresh(self) -> None:
        """Show what was found only as long as it is of this very job."""
        if self._savings_of is not self.session.job:
            self._savings = ()
        self.look.setEnabled(bool(self.session.job.parts))
        self.table.show_rows(
            [(number, (one.words, hours_in_words(one.seconds), f"{one.cost:,.2f}"))
             for number, one in enumerate(self._savings)], self.table.selected_keys(),
        )  # fmt: skip
        self._show_words()
