"""What waits for the shop library: beside the window, so that a slow or locked one holds nobody up."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from functools import partial
from typing import Any, TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from lean_trellis.core.errors import TrellisError

T = TypeVar("T")
_AT_ONCE_S = 0.1
"""Mostly it is done by then, and nothing else comes in between."""


class LibraryWork(QObject):
    """Does the work of the library, one after the other, and tells what came of it in the window's thread."""

    _came = pyqtSignal(object)

    def __init__(self, parent: QObject, tell: Callable[[str, str], None]) -> None:
        super().__init__(parent)
        self._tell = tell
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="shop library")
        self._open = 0
        self._came.connect(self._end)

    @property
    def is_waiting(self) -> bool:
        """Whether something is not done yet."""
        return self._open > 0

    def ask(
        self, act: Callable[[], T], done: Callable[[T], None], refused: Callable[[Exception], None] | None = None, *,
        at_once: bool = True,
    ) -> None:  # fmt: skip
        """Have something done: at once where the library answers at once, else the window goes on meanwhile.

        Without `at_once` nobody waits for it, and nothing is said. `refused` receives a `TrellisError` or `ValueError`;
        any other fault is raised. Without it the refusal is said.
        """
        refused = self._refuse if refused is None else refused
        future = self._thread.submit(act)
        if at_once and wait([future], _AT_ONCE_S).done:
            _finish(future, done, refused)
            return
        self._open += 1
        if at_once:
            self._tell("note", "Waiting for the shop library …")
        finish = partial(_finish, future, done, refused)
        future.add_done_callback(lambda _: self._came.emit(finish))  # in the other thread: told in this one

    def _refuse(self, problem: Exception) -> None:
        self._tell("stop", str(problem))

    def _end(self, finish: Callable[[], None]) -> None:
        self._open -= 1
        finish()

    def close(self) -> None:
        """Begin nothing more."""
        self._thread.shutdown(wait=False, cancel_futures=True)


def _finish(future: Future[Any], done: Callable[[Any], None], refused: Callable[[Exception], None]) -> None:
    try:
        result = future.result()
    except (TrellisError, ValueError) as problem:
        refused(problem)
        return
    done(result)
