"""Machines that run here, asked now and then beside the window: whatever they do, the window goes on."""

from __future__ import annotations

import json
import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from lean_trellis.core.errors import TrellisError
from lean_trellis.core.release.machines.client import MachineClient, Patience
from lean_trellis.core.release.machines.protocol import Reply, Status
from lean_trellis.core.release.machines.register import Known, known_machines

_EVERY_MS = 1000
_PATIENCE = Patience(answer_s=2.0, look_s=60.0)
PRACTICE_SPEED = 600.0
"""A practice machine that the window starts builds ten minutes a second."""


@dataclass(frozen=True)
class Seen:
    """A machine as it was seen last; `problem` where it did not answer."""

    known: Known
    status: Status | None
    problem: str = ""


class MachineWatch(QObject):
    """Looks at all machines once a second while somebody wants to know. `seen` tells what they say."""

    seen = pyqtSignal(object)
    answered = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.machines: tuple[Seen, ...] = ()
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="machines")
        self._is_asking = False
        self._practice: list[subprocess.Popen[str]] = []
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(self.look)
        self.seen.connect(self._take)

    def start(self) -> None:
        """Look from now on."""
        if not self._timer.isActive():
            self._timer.start()
            self.look()

    def stop(self) -> None:
        """Look no more."""
        self._timer.stop()

    def look(self) -> None:
        """Ask all machines, unless that is under way."""
        if not self._is_asking:
            self._is_asking = True
            self._pool.submit(self._ask_all)

    def _ask_all(self) -> None:
        machines = tuple(_seen(known) for known in known_machines())
        with suppress(RuntimeError):  # the window has been closed meanwhile
            self.seen.emit(machines)

    def _take(self, machines: tuple[Seen, ...]) -> None:
        self._is_asking = False
        self.machines = machines

    def control(self, known: Known, key: str, what: str) -> None:
        """Pause, resume or cancel a build; `answered` tells what the machine says."""

        def ask() -> None:
            try:
                reply = MachineClient(known, _PATIENCE).control(key, what)
            except TrellisError as problem:
                words = str(problem)
            else:
                words = _words_of(reply)
            with suppress(RuntimeError):
                self.answered.emit(words)
            self._ask_all()

        self._pool.submit(ask)

    def start_practice(self, machine_id: str) -> None:
        """Start a practice machine of a kind; it ends with the window."""
        command = [
            sys.executable,
            "-m",
            "lean_trellis",
            "simulate",
            machine_id,
            "--json",
            "--speed",
            str(PRACTICE_SPEED),
        ]
        process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, stdin=subprocess.DEVNULL)
        self._practice.append(process)

        def wait() -> None:
            assert process.stdout is not None
            with suppress(ValueError):
                json.loads(process.stdout.readline() or "null")
            self._ask_all()

        self._pool.submit(wait)

    def close(self) -> None:
        """End what was started here."""
        self._timer.stop()
        for process in self._practice:
            process.terminate()
        for process in self._practice:
            with suppress(subprocess.TimeoutExpired):
                process.wait(timeout=5)
            if process.stdout is not None:
                process.stdout.close()
        self._pool.shutdown(wait=True, cancel_futures=True)


def _seen(known: Known) -> Seen:
    try:
        return Seen(known, MachineClient(known, _PATIENCE).status())
    except TrellisError as problem:
        return Seen(known, None, problem.what)


def _words_of(reply: Reply) -> str:
    if not reply.accepted:
        return "; ".join(reply.reasons)
    return f"{reply.build.job}: {reply.build.state}" if reply.build is not None else "done"
