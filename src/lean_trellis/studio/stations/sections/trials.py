"""Trials: states of the job kept under a name, side by side with the job as it is."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from lean_trellis.core.derive.trials import TrialFigures
from lean_trellis.core.job.edits import drop_trial, keep_trial, take_trial
from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.studio.forms.fields import ChoiceField, TextField, muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import NOTHING, PickTable
from lean_trellis.studio.session import Session

NOW = "Now"
_NAMES_PX, _STATE_PX = 108, 72
BEST = " ✓"
_ROWS: tuple[tuple[str, Callable[[TrialFigures], float], Callable[[float], str]], ...] = (
    ("Time", lambda one: one.build_seconds, hours_in_words),
    ("Cost, EUR", lambda one: one.cost, "{:,.2f}".format),
    ("Material, g", lambda one: one.material_grams, "{:,.1f}".format),
    ("Supports, cm³", lambda one: one.support_volume_mm3 / 1000, "{:,.2f}".format),
    ("Supports", lambda one: one.count, "{:,.0f}".format),
    ("Contacts, mm²", lambda one: one.contact_area_mm2, "{:,.1f}".format),
    ("Utilisation", lambda one: one.most_used, "{:.2f}".format),
    ("Deflection, mm", lambda one: one.deflection_mm, "{:.3f}".format),
    ("Tallest, mm", lambda one: one.tallest_mm, "{:,.1f}".format),
    ("Layers", lambda one: one.layers, "{:,.0f}".format),
    ("Changes", lambda one: one.material_changes, "{:,.0f}".format),
    ("Stops", lambda one: one.findings["stop"], "{:.0f}".format),
    ("Cautions", lambda one: one.findings["caution"], "{:.0f}".format),
)
"""What is compared: words, the figure, how it reads; the least is best."""


class TrialsSection(QWidget):
    """Keep, compare, take and drop trials."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self.name = TextField()
        self.name.setObjectName("trials.name")
        self.name.setPlaceholderText("Name of the trial")
        self.name.setAccessibleName("Name of the trial")
        self.name.returnPressed.connect(self._keep)
        self.keep = button("Keep", self._keep, "Keep the job as it is now under this name", name="trials.keep")
        self._column.addWidget(row(self.name, self.keep, spacing=6))
        self.chosen = ChoiceField()
        self.chosen.setObjectName("trials.chosen")
        self.chosen.setAccessibleName("Trial")
        self.take = button("Take", self._take, "Go on with this trial; undo brings the job back", name="trials.take")
        self.drop = button("Drop", self._drop, "Forget this trial", name="trials.drop")
        self._column.addWidget(row(self.chosen, 1, self.take, self.drop, spacing=6))
        self.empty = muted("Keep the job as it is now, change it, keep it again: both are compared here.")
        self._column.addWidget(self.empty)
        self._names: tuple[str, ...] = ()
        self.table = self._table_of(())
        self._column.addWidget(self.table, 1)

    def _table_of(self, names: tuple[str, ...]) -> PickTable:
        widths = {0: _NAMES_PX} | dict.fromkeys(range(1, len(names) + 2), _STATE_PX)
        table = PickTable(("", NOW, *names), several=False, stretch=0, widths=widths)
        table.setObjectName("trials.table")
        table.setAccessibleName("Trials compared")
        return table

    # --- what it does ---

    def _keep(self) -> None:
        name = self.name.text().strip() or f"trial {len(self.session.job.trials) + 1}"
        if self.session.do(partial(keep_trial, name=name)):
            self.name.clear()

    def _take(self) -> None:
        self.session.do(partial(take_trial, name=str(self.chosen.currentData())))

    def _drop(self) -> None:
        self.session.do(partial(drop_trial, name=str(self.chosen.currentData())))

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the trials of the job as it is."""
        job, layers = self.session.job, self.session.layers
        names = tuple(trial.name for trial in job.trials)
        if names != self._names:
            self._names = names
            self._column.removeWidget(self.table)
            self.table.deleteLater()
            self.table = self._table_of(names)
            self._column.addWidget(self.table, 1)
            current = str(self.chosen.currentData() or "")
            self.chosen.offer([(name, name) for name in names], current if current in names else (names or ("",))[-1])
        for widget in (self.chosen, self.take, self.drop):
            widget.setEnabled(bool(names))
        self.keep.setEnabled(bool(job.parts))
        self.empty.setVisible(not names)
        self.table.setVisible(bool(names))
        figures = [layers.figures_of(job), *(layers.figures_of(trial.job) for trial in job.trials)] if names else []
        self.table.show_rows([(words, (words, *cells)) for words, cells in _cells(figures)], [])


def _cells(figures: list[TrialFigures | None]) -> list[tuple[str, list[str]]]:
    """Words and a cell for each state; the best is marked, where not all are the same."""
    rows = []
    for words, figure, reads in _ROWS:
        values = [None if one is None else figure(one) for one in figures]
        known = [value for value in values if value is not None]
        best = min(known) if len(known) == len(values) and known and max(known) > min(known) else None
        cells = [NOTHING if value is None else reads(value) + BEST * (value == best) for value in values]
        rows.append((words, cells))
    return rows
