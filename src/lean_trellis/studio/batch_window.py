"""A recipe over a folder of files, in a window of its own: what came of each file, its job, why another failed."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from lean_trellis.core.batch.batch import CSV, BatchWish, Row, rows_there
from lean_trellis.core.batch.piece import Order
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.formats.body import UNIT_MM
from lean_trellis.core.sets.recipe import Recipe, usual_recipe
from lean_trellis.studio.forms.fields import ChoiceField, TextField, muted, row, title
from lean_trellis.studio.forms.section import button
from lean_trellis.studio.forms.tables import PickTable
from lean_trellis.studio.recipe_requests import SupportFiles
from lean_trellis.studio.session import Session

_SIZE = (980, 620)
_JOBS = "supported"
_LOOKED_EVERY_S = 0.4
_COLUMNS = ("File", "Regions", "Supports", "Not supported", "Utilisation", "Stops", "s", "Failed because")


class BatchWindow(QWidget):
    """Where the files are, where their jobs go, by which recipe; below a row a file.

    Machine and material are those of the job at hand, which is not touched. `open_file` opens a job that was made.
    """

    def __init__(self, session: Session, parent: QWidget, open_file: Callable[[Path], None]) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.session, self._open_file = session, open_file
        self._rows: dict[str, Row] = {}
        self._out: Path | None = None
        self._looked = 0.0
        self.is_running = False
        self.setWindowTitle("Support a folder of files")
        self.resize(*_SIZE)
        self.recipe = ChoiceField()
        self.recipe.setObjectName("batch.recipe")
        self.recipe.setAccessibleName("Recipe")
        self.recipe.setMinimumContentsLength(26)
        self.units = ChoiceField()
        self.units.setObjectName("batch.units")
        self.units.setToolTip("Of files that do not say in which unit they are")
        self.units.offer([(unit, unit) for unit in UNIT_MM], "mm")
        self.source, self.out = (
            _folder_field("batch.source", "Folder of files"), _folder_field("batch.out", "Folder for jobs")
        )  # fmt: skip
        self.source.textChanged.connect(self._source_changed)
        self.out.textEdited.connect(lambda _: self.refresh())
        self.browse = button("Choose…", lambda: self._browse(self.source), name="batch.browse")
        self.browse_out = button("Choose…", lambda: self._browse(self.out), name="batch.browse_out")
        self.resumes = QCheckBox("Pass over files that are done already")
        self.resumes.setObjectName("batch.resumes")
        self.resumes.setToolTip("Those whose job is there, made by the same recipe and values of the same content")
        self.resumes.setChecked(True)
        self.start = button("Support files", self._start, "One job a file; a file that fails ends nothing else",
                            name="batch.start")  # fmt: skip
        self.start.setProperty("role", "main")
        self.stop = button("Cancel", session.cancel, "What is done by now stays", name="batch.stop")
        self.words = muted()
        self.words.setObjectName("batch.words")
        self.table = PickTable(_COLUMNS, several=False, stretch=len(_COLUMNS) - 1, widths={0: 210})
        self.table.setObjectName("batch.rows")
        self.table.setAccessibleName("What came of each file")
        self.table.selected.connect(self._show_row)
        self.open = button("Open job", self._open, "In place of the job at hand", name="batch.open")
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(6)
        for line in (
            title("Support a folder of files"), row("Recipe", self.recipe, "Files in", self.units, 1),
            _line("Files", self.source, self.browse), _line("Jobs", self.out, self.browse_out),
            row(self.start, self.stop, self.resumes, 1, spacing=8), self.words,
        ):  # fmt: skip
            column.addWidget(line)
        column.addWidget(self.table, 1)
        column.addWidget(row(self.open, 1))
        session.task_progress.connect(self._progressed)
        session.task_ended.connect(self._look)

    # --- choosing ---

    def _browse(self, field: TextField) -> None:
        start = field.text() or self.session.settings.folder
        chosen = QFileDialog.getExistingDirectory(self, field.accessibleName(), start)
        if chosen:
            field.setText(chosen)
            self.refresh()

    def _source_changed(self, folder: str) -> None:
        """Jobs go beside the files, unless somebody says where."""
        self.out.setText(str(Path(folder) / _JOBS) if folder.strip() else "")
        self._rows, self._out = {}, None
        self.refresh()

    @property
    def chosen_recipe(self) -> Recipe | None:
        """The recipe that is chosen."""
        return self.session.recipes.every().get(str(self.recipe.currentData()))

    # --- doing it ---

    def _order(self, recipe: Recipe) -> Order:
        """Raises `LibraryError` for a set that is not there."""
        every, job = self.session.sets.every(), self.session.job
        recipe.require_known(every)
        used = {use.set: every[use.set] for rule in recipe.rules for use in rule.uses}
        return Order(recipe, used, job.machine, job.material, str(self.units.currentData()))

    def _start(self) -> None:
        recipe = self.chosen_recipe
        if recipe is None or not self.source.text().strip() or not self.out.text().strip():
            return
        try:
            order = self._order(recipe)
        except TrellisError as problem:
            self.words.setText(str(problem))
            return
        self._out, self._rows = Path(self.out.text().strip()), {}
        sources = (Path(self.source.text().strip()),)
        wish = BatchWish(order, sources, self._out, resumes=self.resumes.isChecked())
        self.is_running = True
        self.words.setText("Starting …")
        self.session.ask(f"Supporting files by {recipe.title}", SupportFiles(wish), self._done, self._refused)
        self.refresh()

    def _done(self, rows: tuple[Row, ...]) -> None:
        self.is_running = False
        self._rows = {one.file: one for one in rows}
        self._say(rows)
        self.refresh()

    def _refused(self, problem: TrellisError) -> None:
        """Ended, or it could not begin; what is done by now is in the table of the folder."""
        self.is_running = False
        self._look()
        self.words.setText(f"{problem}. {len(self._rows)} files are done." if self._rows else str(problem))

    def _progressed(self, _share: float, words: str) -> None:
        if self.is_running and words:
            self.words.setText(words[:1].upper() + words[1:])
        if self.is_running and time.monotonic() - self._looked > _LOOKED_EVERY_S:
            self._look()

    def _look(self) -> None:
        """Show what the folder's table says by now."""
        self._looked = time.monotonic()
        if self._out is not None and self.isVisible():
            self._rows = rows_there(self._out)
            self.refresh()

    def _say(self, rows: Iterable[Row]) -> None:
        outcomes = [one.ok for one in rows]
        failed = outcomes.count(False)
        said = f"{len(outcomes) - failed} of {len(outcomes)} files are jobs now; the table is {CSV} beside them"
        self.words.setText(said + (f". {failed} failed: the last column says why." if failed else "."))
        self.session.said.emit("fine" if not failed else "caution", said)

    def _show_row(self, chosen: list[object]) -> None:
        """Why a file failed, in full."""
        one = self._rows.get(str(chosen[0])) if chosen else None
        if one is not None and not one.ok and not self.is_running:
            self.words.setText(one.reason)
        self.refresh()

    def _open(self) -> None:
        chosen = self.table.selected_keys()
        made = self._rows.get(str(chosen[0])) if chosen else None
        if made is not None and made.job:
            self._open_file(Path(made.job))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape cancels what runs, else closes."""
        if event is None or event.key() != Qt.Key.Key_Escape:
            super().keyPressEvent(event)
        elif self.is_running:
            self.session.cancel()
        else:
            self.close()

    # --- what is shown ---

    def refresh(self) -> None:
        """Offer the recipes that suit, show what came of the files; enable what can be done."""
        job, every = self.session.job, self.session.recipes.every()
        offered = [(one.id, one.title) for one in every.values() if one.suits(job.machine.process, job.material.id)]
        usual, current = usual_recipe(every, job.machine.process, job.material.id), str(self.recipe.currentData())
        first = usual.id if usual is not None else ""
        self.recipe.offer(offered, current if current in dict(offered) else first)
        chosen = self.table.selected_keys()
        self.table.show_rows([(one.file, _cells(one)) for one in self._rows.values()], chosen)
        is_said = bool(self.source.text().strip() and self.out.text().strip())
        self.start.setEnabled(is_said and self.chosen_recipe is not None and not self.is_running)
        self.stop.setEnabled(self.is_running)
        one = self._rows.get(str(chosen[0])) if chosen else None
        self.open.setEnabled(one is not None and bool(one.job) and not self.is_running)
        if not self._rows and not self.is_running and not is_said:
            self.words.setText(
                f"Every mesh and job file in the folder becomes a job on {job.machine.name}, {job.material.name}."
            )


def _cells(one: Row) -> tuple[object, ...]:
    name, seconds = Path(one.file).name, round(one.seconds, 1)
    if not one.ok:
        return name, None, None, None, None, None, seconds, one.reason.removeprefix(f"{one.file}: ")
    figures = one.figures
    counts = (int(figures[key]) for key in ("regions", "supports", "not_supported"))
    return name, *counts, round(figures["strength_used"], 2), int(figures["stops"]), seconds, ""


def _folder_field(name: str, called: str) -> TextField:
    made = TextField()
    made.setObjectName(name)
    made.setAccessibleName(called)
    made.setPlaceholderText(called)
    return made


def _line(words: str, field: QWidget, choose: QWidget) -> QWidget:
    """A field over the whole width with its button."""
    holder = QWidget()
    line = QHBoxLayout(holder)
    line.setContentsMargins(0, 0, 0, 0)
    line.addWidget(row(words))
    line.addWidget(field, 1)
    line.addWidget(choose)
    return holder
