"""The worker: a process of its own beside the window, so that no computation can hold the window up.

Requests and answers are pickled over a pipe. A mesh is sent once; afterwards its key stands for it.
"""

from __future__ import annotations

import io
import multiprocessing
import os
import pickle
import signal
import threading
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from lean_trellis.core.errors import Cancelled, TrellisError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.pipeline import Pipeline

_PATIENCE_MS = 250
"""How long a cancelled request may go on before the process is ended and started anew."""


class _MeshPickler(pickle.Pickler):
    """Pickles meshes that the other side has as their keys."""

    def __init__(self, file: io.BytesIO, known: dict[str, Mesh], fresh: list[Mesh]) -> None:
        super().__init__(file, protocol=5)
        self._known, self._fresh = known, fresh

    def persistent_id(self, obj: Any) -> str | None:
        if not isinstance(obj, Mesh):
            return None
        if obj.key not in self._known:
            self._known[obj.key] = obj
            self._fresh.append(obj)
        return obj.key


class _MeshUnpickler(pickle.Unpickler):
    def __init__(self, file: io.BytesIO, known: dict[str, Mesh]) -> None:
        super().__init__(file)
        self._known = known

    def persistent_load(self, pid: str) -> Mesh:
        return self._known[pid]


class _Line:
    """One end of the pipe, with the meshes that both ends have."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection
        self._known: dict[str, Mesh] = {}

    def send(self, message: Any) -> None:
        body, fresh = io.BytesIO(), list[Mesh]()
        _MeshPickler(body, self._known, fresh).dump(message)
        self._connection.send_bytes(pickle.dumps(fresh, protocol=5))
        self._connection.send_bytes(body.getbuffer())

    def receive(self) -> Any:
        for mesh in pickle.loads(self._connection.recv_bytes()):
            self._known.setdefault(mesh.key, mesh)
        return _MeshUnpickler(io.BytesIO(self._connection.recv_bytes()), self._known).load()


class _PipeWatch:
    """Reports progress over the pipe, at most every 1 % or new word; raises `Cancelled` when asked."""

    def __init__(self, line: _Line, number: int, cancelled: Any) -> None:
        self._line, self._number, self._cancelled = line, number, cancelled
        self._said = (-1.0, "")

    def at(self, share: float, words: str) -> None:
        if self._cancelled.is_set():
            raise Cancelled
        if share - self._said[0] >= 0.01 or words != self._said[1]:
            self._said = (share, words)
            self._line.send(("progress", self._number, share, words))


def serve(connection: Connection, cancelled: Any) -> None:
    """The worker's loop: answer requests until the pipe is closed."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(10)  # the window comes first: it draws on the same cores
    line, pipeline = _Line(connection), Pipeline()
    while True:
        try:
            number, request = line.receive()
        except (EOFError, OSError):
            return
        try:
            answer = ("done", number, request.answer(pipeline, _PipeWatch(line, number, cancelled)))
        except TrellisError as problem:
            answer = ("failed", number, problem)
        except MemoryError:
            answer = (
                "failed",
                number,
                TrellisError("", "there is not enough memory for this", "close other parts"),
            )
        except Exception as problem:  # noqa: BLE001 - the window must hear of it, whatever it is
            answer = (
                "failed",
                number,
                TrellisError("", f"an error of the program: {problem!r}", "please report it"),
            )
        try:
            line.send(answer)
        except (BrokenPipeError, OSError):
            return


@dataclass(frozen=True)
class Task:
    """A request under way."""

    number: int
    request: Any
    done: Callable[[Any], None]
    failed: Callable[[TrellisError], None]


class Worker(QObject):
    """The window's side: one request at a time, answered through signals on the interface thread."""

    progressed = pyqtSignal(float, str)
    idle = pyqtSignal()
    _received = pyqtSignal(int, object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._context = multiprocessing.get_context("spawn")
        self._task: Task | None = None
        self._count = 0
        self._generation = 0
        self._patience = QTimer(self, singleShot=True, interval=_PATIENCE_MS)
        self._patience.timeout.connect(self._start_anew)
        self._received.connect(self._take)
        self._start()

    def _start(self) -> None:
        self._generation += 1
        ours, theirs = self._context.Pipe()
        self._cancelled = self._context.Event()
        self._process = self._context.Process(target=serve, args=(theirs, self._cancelled), daemon=True)
        self._process.start()
        theirs.close()
        self._connection, self._line = ours, _Line(ours)
        self._listener = threading.Thread(
            target=self._listen, args=(self._line, self._generation), daemon=True, name="worker listener"
        )
        self._listener.start()

    def _listen(self, line: _Line, generation: int) -> None:
        while True:
            try:
                message = line.receive()
            except (EOFError, OSError):
                self._say(generation, None)
                return
            self._say(generation, message)

    def _say(self, generation: int, message: Any) -> None:
        """Hand a message to the interface thread; when the window has gone there is nobody to tell."""
        try:
            self._received.emit(generation, message)
        except RuntimeError:
            return

    @property
    def task(self) -> Task | None:
        """The request under way, if any."""
        return self._task

    def ask(self, request: Any, done: Callable[[Any], None], failed: Callable[[TrellisError], None]) -> None:
        """Send a request. Only when idle: whoever asks waits for `idle`."""
        assert self._task is None, "one request at a time"
        self._count += 1
        self._task = Task(self._count, request, done, failed)
        self._cancelled.clear()
        threading.Thread(target=self._send, args=(self._line, (self._count, request)), daemon=True).start()

    @staticmethod
    def _send(line: _Line, message: Any) -> None:
        try:
            line.send(message)
        except (BrokenPipeError, OSError):
            return

    def cancel(self, *, at_any_price: bool = True) -> None:
        """Ask the request under way to stop.

        When it does not listen the process is ended and with it what it has kept, unless the request is
        merely out of date: then it may finish.
        """
        if self._task is not None:
            self._cancelled.set()
            if at_any_price:
                self._patience.start()

    def _take(self, generation: int, message: Any) -> None:
        if generation != self._generation:
            return
        if message is None:
            self._start_anew()
            return
        kind, number, *rest = message
        task = self._task
        if task is None or number != task.number:
            return
        if kind == "progress":
            self.progressed.emit(*rest)
            return
        self._end(task.done if kind == "done" else task.failed, rest[0])

    def _end(self, tell: Callable[[Any], None], what: Any) -> None:
        self._patience.stop()
        self._task = None
        tell(what)
        if self._task is None:
            self.idle.emit()

    def _start_anew(self) -> None:
        """End the process, start another one, and tell who waits that it was cancelled or lost."""
        task, wanted = self._task, self._cancelled.is_set()
        self._patience.stop()
        self._stop_process()
        self._start()
        if task is not None:
            self._end(
                task.failed,
                Cancelled() if wanted else TrellisError("", "the computation was lost", "try again"),
            )

    def _stop_process(self) -> None:
        self._generation += 1
        self._process.kill()
        self._process.join(5)
        self._connection.close()
        self._listener.join(5)

    def close(self) -> None:
        """End the process for good."""
        self._patience.stop()
        self._task = None
        self._stop_process()
