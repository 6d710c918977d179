"""The list of jobs that were left open by a crash: each is opened, kept for later or discarded by itself."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from datetime import datetime

from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHeaderView,
    QLabel,
    QMessageBox,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job import Job
from lean_trellis.core.job.recovery import LeftCopy, RecoveryCopy, copies_left
from lean_trellis.studio.build_picture import NAME, SIZE
from lean_trellis.studio.forms.fields import row
from lean_trellis.studio.forms.qt import head_of, side_of
from lean_trellis.studio.recovery import Recovery
from lean_trellis.studio.requests import OpenCopy
from lean_trellis.studio.session import Session
from lean_trellis.studio.settings import recovery_folder

_COLUMNS = ("", "Job", "Parts", "Last change", "File")
_MOST_NAMES = 4


class RecoveredJobs(QDialog):
    """Copies of windows that ended without closing. Closing the list keeps them all."""

    def __init__(
        self, session: Session, recovery: Recovery, after_asking: Callable[[Callable[[], None]], None], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Recovered jobs")
        self.setMinimumSize(820, 360)
        self._session, self._recovery, self._after_asking = session, recovery, after_asking
        self._copies: list[LeftCopy] = []
        column = QVBoxLayout(self)
        self.words = QLabel()
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setHorizontalHeaderLabels(_COLUMNS)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setTabKeyNavigation(False)
        self.table.setAccessibleName("Recovered jobs")
        head = head_of(self.table)
        side_of(self.table).hide()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.setShowGrid(False)
        self.table.setIconSize(QSize(*SIZE))
        side_of(self.table).setDefaultSectionSize(SIZE[1] + 8)
        column.addWidget(self.table, 1)
        self.open_button = QPushButton("Open job")
        self.open_button.setToolTip("Open the selected job as it was; it counts as changed until it is saved")
        self.discard_button = QPushButton("Discard job…")
        self.discard_button.setToolTip("Delete the selected copy for good")
        self.keep_button = QPushButton("Keep for later")
        self.keep_button.setToolTip("Close this list; the jobs stay under Job > Recovered jobs")
        column.addWidget(row(self.open_button, self.discard_button, self.keep_button))
        self.open_button.clicked.connect(self._open)
        self.discard_button.clicked.connect(self._discard)
        self.keep_button.clicked.connect(self.close)
        self.table.itemSelectionChanged.connect(self._refresh_buttons)
        self.table.itemDoubleClicked.connect(lambda _: self._open())

    def offer(self, *, even_when_empty: bool = False) -> None:
        """Show what was left behind; an empty list only on request."""
        self.refresh()
        if self._copies or even_when_empty:
            self.show()
            self.raise_()

    def refresh(self) -> None:
        """Look again at what there is."""
        self._copies = copies_left(recovery_folder())
        count = len(self._copies)
        self.words.setText(
            f"The program ended before {'this job was' if count == 1 else f'these {count} jobs were'} saved. "
            "Open one to go on with it. A copy goes only when its job has been saved or discarded."
            if count
            else "No recovered jobs. After a crash, unsaved jobs are listed here."
        )
        self.table.setRowCount(count)
        for place, copy in enumerate(self._copies):
            more = len(copy.parts) - _MOST_NAMES
            names = ", ".join(copy.parts[:_MOST_NAMES]) + (f" and {more} more" if more > 0 else "")
            time = datetime.fromtimestamp(copy.seconds).strftime("%a %d %b, %H:%M:%S")
            file = str(copy.file) if copy.file is not None else "never saved"
            view = QTableWidgetItem()
            picture, icon = QPixmap(str(copy.folder / NAME)), QIcon()
            for mode in (QIcon.Mode.Normal, QIcon.Mode.Selected):  # else Qt tints what is selected
                icon.addPixmap(picture, mode)
            view.setIcon(icon)
            view.setToolTip("The build seen from above")
            self.table.setItem(place, 0, view)
            for at, text in enumerate((copy.name, names or "no parts", time, file), start=1):
                item = QTableWidgetItem(text)
                item.setToolTip(text if at != 2 else ", ".join(copy.parts))
                self.table.setItem(place, at, item)
        if count:
            self.table.selectRow(0)
        self._refresh_buttons()

    def _refresh_buttons(self) -> None:
        for button in (self.open_button, self.discard_button):
            button.setEnabled(self._selected() is not None)

    def _selected(self) -> LeftCopy | None:
        place = self.table.currentRow()
        return self._copies[place] if 0 <= place < len(self._copies) and self.table.selectedItems() else None

    def _open(self) -> None:
        copy = self._selected()
        if copy is not None:
            self.close()
            self._after_asking(lambda: self._read(copy))

    def _read(self, copy: LeftCopy) -> None:
        """Lock the copy, then read it: two windows never work on one."""
        try:
            lock = RecoveryCopy.claim(copy.folder) if copy.folder.is_dir() else None
        except OSError as problem:
            self._session.said.emit("stop", f"{copy.name}: cannot open the copy ({problem.strerror}); try again")
            return
        if lock is None and copy.folder.is_dir():
            self._session.said.emit("caution", f"{copy.name}: already open in another window")
            return

        def refused(_: TrellisError) -> None:
            if lock is not None:
                lock.release()

        self._session.ask(f"Recovering {copy.name}", OpenCopy(copy), lambda job: self._opened(copy, lock, job), refused)

    def _opened(self, copy: LeftCopy, lock: RecoveryCopy | None, job: Job) -> None:
        self._session.replace_job(job, copy.file, is_saved=False)
        if lock is not None:
            self._recovery.adopt(lock)
        else:
            self._recovery.take_over_file(copy.folder)
        self._session.said.emit("note", f"Recovered {job.name} as it was before the crash. Save it to keep it.")

    def _discard(self) -> None:
        copy = self._selected()
        if copy is None:
            return
        asked = QMessageBox(
            QMessageBox.Icon.Question, "Discard job", f"Discard {copy.name}? Its unsaved work is lost for good.",
            QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel, self,
        )  # fmt: skip
        asked.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        asked.setDefaultButton(QMessageBox.StandardButton.Cancel)
        asked.buttonClicked.connect(lambda button: self._take_answer(copy, asked.standardButton(button)))
        asked.open()

    def _take_answer(self, copy: LeftCopy, answer: QMessageBox.StandardButton) -> None:
        if answer == QMessageBox.StandardButton.Discard:
            self._remove(copy)
            QTimer.singleShot(0, self.refresh)

    def _remove(self, copy: LeftCopy) -> None:
        if not copy.folder.is_dir():
            copy.folder.unlink(missing_ok=True)
            return
        try:
            lock = RecoveryCopy.claim(copy.folder)
        except OSError:
            shutil.rmtree(copy.folder, ignore_errors=True)
            return
        if lock is None:
            self._session.said.emit("caution", f"{copy.name}: open in another window, not discarded")
        else:
            lock.discard()
