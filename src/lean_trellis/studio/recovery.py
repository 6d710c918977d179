"""The recovery copy of this window: a second after a change the job is written aside, whatever else is under way."""

from __future__ import annotations

import threading
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.job import Job
from lean_trellis.core.job.recovery import RecoveryCopy
from lean_trellis.studio.build_picture import build_picture, save_picture
from lean_trellis.studio.forms.qt import single_shot
from lean_trellis.studio.session import Session
from lean_trellis.studio.settings import recovery_folder

_WAIT_MS = 1000


class Recovery(QObject):
    """Keeps the copy while the job has unsaved changes; removes it when these are saved or discarded by name.

    A thread writes, one job at a time, so that neither the window nor a long computation holds the copy up.
    """

    _written = pyqtSignal(object)

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._copy: RecoveryCopy | None = None
        self._writer: threading.Thread | None = None
        self._has_failed, self._said = False, ""
        self._timer = single_shot(self, _WAIT_MS)
        self._timer.timeout.connect(self.keep)
        self._written.connect(self._wrote)
        session.job_changed.connect(self._follow)
        session.file_changed.connect(self._follow)
        session.replaced.connect(self._job_left)

    @property
    def folder(self) -> Path | None:
        """Where the copy is, once there is one."""
        return None if self._copy is None else self._copy.folder

    def _follow(self) -> None:
        if self._session.is_saved:
            self._timer.stop()
            self._drop()
        elif not self._timer.isActive():  # restarting it would put the copy off for as long as the work goes on
            self._timer.start()

    def _job_left(self, old: Job, is_given_up: bool) -> None:
        """Another job takes the place of `old`: its copy goes only with the user's word, else it is kept for later."""
        self._timer.stop()
        if is_given_up:
            self._drop()
        elif self._copy is not None:
            self._finish_writing()
            self._copy.release()
            self._copy = None

    def keep(self) -> None:
        """Write the job as it is now."""
        if self._session.is_saved:
            return
        if self._writer is not None:  # it starts the next one when it is done
            self._timer.start()
            return
        if self._copy is None:
            try:
                self._copy = RecoveryCopy.create(recovery_folder())
            except TrellisError as problem:
                self._fail(problem)
                return
        self._writer = threading.Thread(
            target=self._write,
            args=(self._copy, self._session.job, self._session.path, build_picture(self._session)),
            name="recovery copy",
        )
        self._writer.start()

    def _write(self, copy: RecoveryCopy, job: Job, file: Path | None, picture: QImage) -> None:
        problem: TrellisError | None = None
        try:
            copy.write(job, file)
            save_picture(picture, copy.folder)
        except TrellisError as fault:
            problem = fault
        self._has_failed = problem is not None
        self._written.emit(problem)

    def _wrote(self, problem: TrellisError | None) -> None:
        self._finish_writing()
        if problem is not None:
            self._fail(problem)

    def _fail(self, problem: TrellisError) -> None:
        """Say once what keeps copies from being written."""
        self._has_failed = True
        if str(problem) != self._said:
            self._said = str(problem)
            self._session.said.emit("stop", f"No recovery copy: {problem}")

    def adopt(self, copy: RecoveryCopy) -> None:
        """The job of a copy that was left behind is open here now: this window goes on writing it."""
        self._copy = copy

    def take_over_file(self, file: Path) -> None:
        """The same for a copy of an earlier version, a single file: it goes when a copy of today's kind is there."""
        self.keep()
        self._finish_writing()
        if not self._has_failed:
            file.unlink(missing_ok=True)

    def _finish_writing(self) -> None:
        if self._writer is not None:
            self._writer.join()
            self._writer = None

    def _drop(self) -> None:
        self._finish_writing()
        if self._copy is not None:
            self._copy.discard()
            self._copy = None

    def finish(self) -> None:
        """The window closes in order, its work saved or discarded: no copy is needed."""
        self._timer.stop()
        self._drop()
