"""The worker: a process of its own beside the window, so that no computation can hold the window up.

Requests and answers are pickled over a pipe. A mesh is sent once; afterwards its key stands for it.
"""

from __future__ import annotations

import ctypes
import io
import math
import os
import pickle
import signal
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import Cancelled, TrellisError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.studio.forms.qt import single_shot
from lean_trellis.studio.worker_server import worker_context

_PATIENCE_MS = 250
"""How long a cancelled request may go on before the process is ended and started anew."""
_MOST_KNOWN_BYTES = 400_000_000
"""Meshes that window and worker both have; further ones are sent again when they are needed again."""


class _MeshPickler(pickle.Pickler):
    """Meshes that the other end knows go as their keys; `used` are those, `fresh` others that it shall know."""

    def __init__(self, file: io.BytesIO, known: Mapping[str, Mesh], *, teaches: bool) -> None:
        super().__init__(file, protocol=5)
        self._known, self._teaches = known, teaches
        self.fresh: dict[str, Mesh] = {}
        self.used: set[str] = set()

    def persistent_id(self, obj: Any) -> str | None:
        if not isinstance(obj, Mesh):
            return None
        if obj.key not in self._known:
            if not self._teaches:
                return None
            self.fresh[obj.key] = obj
        self.used.add(obj.key)
        return obj.key


class _MeshUnpickler(pickle.Unpickler):
    def __init__(self, file: io.BytesIO, known: Mapping[str, Mesh]) -> None:
        super().__init__(file)
        self._known = known

    def persistent_load(self, pid: str) -> Mesh:
        return self._known[pid]


class Channel:
    """One end of the pipe, with the meshes that both ends have.

    The end that `teaches` sends each mesh once and says which ones to forget when they outgrow `most_bytes`; what the
    current message needs is never forgotten. The other end sends meshes whole that it was not taught.
    """

    def __init__(self, connection: Connection, *, teaches: bool, most_bytes: int = _MOST_KNOWN_BYTES) -> None:
        self._connection, self._teaches, self._most_bytes = connection, teaches, most_bytes
        self.known: dict[str, Mesh] = {}

    def send(self, message: Any) -> None:
        """Send a message with the meshes that the other end lacks."""
        body = io.BytesIO()
        pickler = _MeshPickler(body, self.known, teaches=self._teaches)
        pickler.dump(message)
        forgotten = self._learn(pickler.fresh, pickler.used)
        self._connection.send_bytes(pickle.dumps((list(pickler.fresh.values()), forgotten), protocol=5))
        self._connection.send_bytes(body.getbuffer())

    def _learn(self, fresh: Mapping[str, Mesh], used: set[str]) -> list[str]:
        """Take fresh meshes in, what is used last last; the keys of those that there is no room for any more."""
        for key in used & self.known.keys():
            self.known[key] = self.known.pop(key)
        self.known.update(fresh)
        total = sum(_bytes_of(mesh) for mesh in self.known.values())
        forgotten: list[str] = []
        for key in [key for key in self.known if key not in used]:
            if total <= self._most_bytes:
                break
            total -= _bytes_of(self.known.pop(key))
            forgotten.append(key)
        return forgotten

    def receive(self) -> Any:
        """The next message; waits for it. Raises EOFError when the other end is gone."""
        fresh, forgotten = pickle.loads(self._connection.recv_bytes())
        self.known.update({mesh.key: mesh for mesh in fresh})
        for key in forgotten:
            del self.known[key]
        return _MeshUnpickler(io.BytesIO(self._connection.recv_bytes()), self.known).load()


def _bytes_of(mesh: Mesh) -> int:
    return int(mesh.vertices.nbytes + mesh.faces.nbytes)


_SAID_EVERY_S = 0.04


class _PipeWatch:
    """Reports progress over the pipe, 1 % or a new word at a time and no faster than anybody reads it.

    Raises `Cancelled` when asked.
    """

    def __init__(self, line: Channel, number: int, cancelled: Any) -> None:
        self._line, self._number, self._cancelled = line, number, cancelled
        self._said, self._said_at = (-1.0, ""), -math.inf

    def at(self, share: float, words: str) -> None:
        if self._cancelled.value:
            raise Cancelled
        is_news = share - self._said[0] >= 0.01 or words != self._said[1]
        if is_news and time.monotonic() - self._said_at >= _SAID_EVERY_S:
            self._said, self._said_at = (share, words), time.monotonic()
            self._line.send(("progress", self._number, share, words))


def serve(connection: Connection, cancelled: Any, most_bytes: int) -> None:
    """The worker's loop: answer requests until the pipe is closed; results are kept up to `most_bytes`."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(int(os.environ.get("LEAN_TRELLIS_NICE", "10")))  # the window comes first: it draws on the same cores
    line, pipeline = Channel(connection, teaches=False), Pipeline(most_bytes)
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
            answer = ("failed", number, _fault(problem))
        try:
            try:
                line.send(answer)
            except (pickle.PicklingError, TypeError, AttributeError) as problem:
                line.send(("failed", number, _fault(problem)))
        except OSError:
            return


def _fault(problem: Exception) -> TrellisError:
    return TrellisError("", f"an error of the program: {problem!r}", "please report it")


@dataclass(frozen=True)
class _Lost:
    """The line to the process broke."""

    problem: Exception


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

    def __init__(self, most_bytes: int, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._most_bytes = most_bytes
        self._context = worker_context()  # forked from what is imported already, a process ended by Escape is back soon
        self._task: Task | None = None
        self._count = 0
        self._generation = 0
        self._patience = single_shot(self, _PATIENCE_MS)
        self._patience.timeout.connect(lambda: self._start_anew())
        self._received.connect(self._take)
        self._start()

    def _start(self) -> None:
        self._generation += 1
        ours, theirs = self._context.Pipe()
        self._cancelled = self._context.RawValue(ctypes.c_bool, False)  # without a lock that a killed process keeps
        self._process = self._context.Process(
            target=serve, args=(theirs, self._cancelled, self._most_bytes), daemon=True
        )
        self._is_begun, self._is_down = threading.Event(), False
        self._connection, self._line = ours, Channel(ours, teaches=True)
        begun = self._process, theirs, self._is_begun
        self._listener = threading.Thread(
            target=self._listen, args=(begun, self._line, self._generation), daemon=True, name="worker listener"
        )
        self._listener.start()

    def _listen(self, begun: tuple[BaseProcess, Connection, threading.Event], line: Channel, generation: int) -> None:
        """Begin the process and pass on what it says, until it ends or says what cannot be understood.

        At the start of the program the server that it is forked from imports for a while: nobody else waits for that.
        """
        process, theirs, is_begun = begun
        try:
            process.start()
        except Exception as problem:  # noqa: BLE001 - as below
            self._say(generation, _Lost(problem))
            return
        finally:
            theirs.close()
            is_begun.set()
        while True:
            try:
                message = line.receive()
            except Exception as problem:  # noqa: BLE001 - a silent listener would leave the window waiting
                self._say(generation, _Lost(problem))
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
        if self._is_down:
            self._start()
        self._count += 1
        self._task = Task(self._count, request, done, failed)
        self._cancelled.value = False
        begun = self._process, self._is_begun
        threading.Thread(
            target=self._send, args=(begun, self._line, self._generation, (self._count, request)), daemon=True
        ).start()

    def _send(self, begun: tuple[BaseProcess, threading.Event], line: Channel, generation: int, message: Any) -> None:
        process, is_begun = begun
        is_begun.wait()
        if process.pid is None:  # the listener says why
            return
        try:
            line.send(message)
        except Exception as problem:  # noqa: BLE001 - what was never sent is never answered
            self._say(generation, _Lost(problem))

    def cancel(self, *, at_any_price: bool = True) -> None:
        """Ask the request under way to stop.

        When it does not listen the process is ended and with it what it has kept, unless the request is
        merely out of date: then it may finish.
        """
        if self._task is not None:
            self._cancelled.value = True
            if at_any_price:
                self._patience.start()

    def _take(self, generation: int, message: Any) -> None:
        if generation != self._generation:
            return
        if isinstance(message, _Lost):
            self._start_anew(message.problem)
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

    def _start_anew(self, problem: Exception | None = None) -> None:
        """End the process, start another one, and tell who waits that it was cancelled or lost."""
        task, wanted = self._task, self._cancelled.value
        self._patience.stop()
        if self._stop_process():
            self._start()
        else:  # what could not be started is tried again with the next request
            self._is_down = True
        if task is not None:
            ended = problem is None or isinstance(problem, (EOFError, ConnectionError))
            why = "its process ended" if ended else str(problem) or type(problem).__name__
            lost = TrellisError("", f"the computation was lost: {why}", "try again")
            self._end(task.failed, Cancelled() if wanted else lost)

    def _stop_process(self) -> bool:
        """Whether there was one."""
        self._generation += 1
        self._is_begun.wait()
        is_there = self._process.pid is not None
        if is_there:
            self._process.kill()
            self._process.join(5)
        self._connection.close()
        self._listener.join(5)
        return is_there

    def close(self) -> None:
        """End the process for good."""
        self._patience.stop()
        self._task = None
        self._stop_process()
