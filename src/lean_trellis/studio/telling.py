"""Telling of results: the first of many at once, those that follow close on it together."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QObject

from lean_trellis.studio.forms.qt import single_shot

_TOGETHER_MS = 20


class Telling(QObject):
    """Calls `tell` for news, so seldom that no more than half of the time goes into it."""

    def __init__(self, tell: Callable[[], None], parent: QObject) -> None:
        super().__init__(parent)
        self._tell = tell
        self.has_news = False
        """Whether there is something still to be told."""
        self._rest = single_shot(self, _TOGETHER_MS)
        self._rest.timeout.connect(self._tell_rest)

    def take(self) -> None:
        """There is news."""
        if self._rest.isActive():
            self.has_news = True
            return
        self.has_news = False
        begin = time.perf_counter()
        self._tell()
        self._rest.start(_TOGETHER_MS + round(1000 * (time.perf_counter() - begin)))

    def _tell_rest(self) -> None:
        if self.has_news:
            self.take()
