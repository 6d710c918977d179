"""Trials: states of the job kept under a name, side by side with the job as it is."""

from __future__ import annotations

import csv
import io
import math
from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QVBoxLayout, QWidget

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.derive.trials import TrialFigures
from lean_trellis.core.job.edits import drop_trial, keep_trial, take_trial
from lean_trellis.core.job.trial_differences import differences
from lean_trellis.core.layers.durations import hours_in_words
from lean_trellis.studio.forms.fields import ChoiceField, TextField, head, muted, row
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import NOTHING, PickTable
from lean_trellis.studio.messages import ShowBeside
from lean_trellis.studio.session import Session

NOW = "Now"
_NAMES_PX, _STATE_PX, _MOST_STATE_PX, _HEAD_SPARE_PX = 108, 72, 104, 30
_MANY = 3
BEST = " ✓"


def _longest(one: TrialFigures) -> float:
    return math.inf if one.longest_unsupported_mm is None else one.longest_unsupported_mm


def _or_more(value: float) -> str:
    return f"{value:.2f}" if math.isfinite(value) else "no hold"


_ROWS: tuple[tuple[str, Callable[[TrialFigures], float], Callable[[float], str]], ...] = (
    ("Time", lambda one: one.build_seconds, hours_in_words),
    ("Cost, EUR", lambda one: one.cost, "{:,.2f}".format),
    ("Material, g", lambda one: one.material_grams, "{:,.1f}".format),
    ("Supports, cm³", lambda one: one.support_volume_mm3 / 1000, "{:,.2f}".format),
    ("Supports", lambda one: one.count, "{:,.0f}".format),
    ("Contacts, mm²", lambda one: one.contact_area_mm2, "{:,.1f}".format),
    ("Utilisation", lambda one: one.most_used, "{:.2f}".format),
    ("Unsupported, mm", _longest, _or_more),
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

    asks = pyqtSignal(object)

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
        self.beside = QCheckBox("Side by side")
        self.beside.setObjectName("trials.beside")
        self.beside.setToolTip("Show the chosen trial beside the job as it is now: one camera, one layer")
        self.beside.toggled.connect(lambda _: self._show_beside())
        self.chosen.chosen.connect(lambda _: self._show_beside())
        self.write = button("Save table …", self._ask_and_write, "Figures and values as CSV", name="trials.write")
        self._column.addWidget(row(self.beside, 1, self.write, spacing=6))
        self.empty = muted("Keep the job as it is now, change it, keep it again: both are compared here.")
        self._column.addWidget(self.empty)
        self._names: tuple[str, ...] = ()
        self.table = self._table_of(())
        self._column.addWidget(self.table, 3)
        self.values_head = head("Values that differ")
        self._column.addWidget(self.values_head)
        self.values = self._table_of((), "trials.values", "Values that differ between trials")
        self._column.addWidget(self.values, 2)

    def _table_of(
        self, names: tuple[str, ...], name: str = "trials.table", words: str = "Trials compared"
    ) -> PickTable:
        widths = {number: self._state_px(state) for number, state in enumerate((NOW, *names), start=1)}
        if len(names) >= _MANY:  # then the table is scrolled sideways; else its words take the room there is
            widths[0] = _NAMES_PX
        table = PickTable(("", NOW, *names), several=False, stretch=0, widths=widths)
        table.setObjectName(name)
        table.setAccessibleName(words)
        return table

    def _state_px(self, name: str) -> int:
        """As wide as the name of a state asks for, up to a limit: a long one is cut short and whole in the tooltip."""
        return min(max(self.fontMetrics().horizontalAdvance(name) + _HEAD_SPARE_PX, _STATE_PX), _MOST_STATE_PX)

    # --- what it does ---

    def _keep(self) -> None:
        name = self.name.text().strip() or f"trial {len(self.session.job.trials) + 1}"
        if self.session.do(partial(keep_trial, name=name)):
            self.name.clear()

    def _take(self) -> None:
        self.session.do(partial(take_trial, name=str(self.chosen.currentData())))

    def _drop(self) -> None:
        self.session.do(partial(drop_trial, name=str(self.chosen.currentData())))

    def _show_beside(self) -> None:
        """Show the chosen trial beside the job, or no more."""
        name = str(self.chosen.currentData() or "")
        is_on = self.beside.isChecked() and name in self._names
        self.asks.emit(ShowBeside(self.session.job.trial(name) if is_on else None))

    def leave(self) -> None:
        """Another station opens: what is side by side ends."""
        self.beside.setChecked(False)

    def _ask_and_write(self) -> None:
        job = self.session.job
        start = str(Path(self.session.folder) / f"{job.name}, trials.csv")
        chosen, _ = QFileDialog.getSaveFileName(self.window(), "Save the table of trials", start, "CSV (*.csv)")
        if not chosen:
            return
        path = Path(chosen)
        try:
            with written_whole(path) as file:
                file.write(self._as_csv().encode())
        except OSError as problem:
            self.session.said.emit("stop", f"{path.name} cannot be written: {problem.strerror or problem}")
            return
        self.session.said.emit("fine", f"Saved {path.name}")

    def _as_csv(self) -> str:
        """Figures, then the values that differ: a column a state."""
        job, layers = self.session.job, self.session.layers
        states = [job, *(trial.job for trial in job.trials)]
        figures = [layers.figures_of(state) for state in states]
        text = io.StringIO()
        lines = csv.writer(text, lineterminator="\n")
        lines.writerow(["", NOW, *self._names])
        for words, figure, _ in _ROWS:
            lines.writerow([f"{words} (s)" if words == "Time" else words,
                            *("" if one is None else _plain(figure(one)) for one in figures)])  # fmt: skip
        for words, cells in differences(states):
            lines.writerow([words, *cells])
        return text.getvalue()

    # --- what is shown ---

    def refresh(self) -> None:
        """Show the trials of the job as it is."""
        job, layers = self.session.job, self.session.layers
        names = tuple(trial.name for trial in job.trials)
        if names != self._names:
            self._names = names
            for old in (self.table, self.values):
                self._column.removeWidget(old)
                old.deleteLater()
            self.table = self._table_of(names)
            self.values = self._table_of(names, "trials.values", "Values that differ between trials")
            self._column.insertWidget(self._column.indexOf(self.values_head), self.table, 3)
            self._column.addWidget(self.values, 2)
            current = str(self.chosen.currentData() or "")
            self.chosen.offer([(name, name) for name in names], current if current in names else (names or ("",))[-1])
        for widget in (self.chosen, self.take, self.drop, self.beside, self.write):
            widget.setEnabled(bool(names))
        if not names:
            self.beside.setChecked(False)
        self.keep.setEnabled(bool(job.parts))
        self.empty.setVisible(not names)
        states = [job, *(trial.job for trial in job.trials)]
        different = differences(states) if names else ()
        for shown in (self.table, self.values_head, self.values):
            shown.setVisible(bool(names))
        self.values.show_rows([(words, (words, *cells)) for words, cells in different], [])
        figures = [layers.figures_of(job), *(layers.figures_of(trial.job) for trial in job.trials)] if names else []
        self.table.show_rows([(words, (words, *cells)) for words, cells in _cells(figures)], [])


def _plain(value: float) -> str:
    return f"{value:.6g}" if math.isfinite(value) else ""


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
