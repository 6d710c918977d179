"""The recovery copy: a few seconds after each change the job is kept aside, for after a crash."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer

from lean_trellis.core.job.files import SUFFIX
from lean_trellis.studio.session import Session
from lean_trellis.studio.settings import recovery_folder

_WAIT_MS = 4000


def left_behind(folder: Path | None = None) -> list[Path]:
    """Copies of windows that are no longer running, the newest first."""
    found = []
    for path in (folder or recovery_folder()).glob(f"*{SUFFIX}"):
        number = path.stem
        if number.isdigit() and not Path(f"/proc/{number}").exists():
            found.append(path)
    return sorted(found, key=lambda path: path.stat().st_mtime, reverse=True)


class Recovery(QObject):
    """Keeps the copy while the window is open and takes it away when it closes in order."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self.path = recovery_folder() / f"{os.getpid()}{SUFFIX}"
        self._timer = QTimer(self, singleShot=True, interval=_WAIT_MS)
        self._timer.timeout.connect(self._keep)
        session.job_changed.connect(self._timer.start)

    def _keep(self) -> None:
        if self._session.is_saved or not self._session.undo_title:
            return
        self.path.parent.mkdir(parents=True, exist_ok=True)
        self._session.keep_recovery_copy(self.path)

    def finish(self) -> None:
        """The window closes in order: no copy is needed."""
        self._timer.stop()
        self.path.unlink(missing_ok=True)
