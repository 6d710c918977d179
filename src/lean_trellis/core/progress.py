"""How slow work tells how far it is, and learns that it is no longer wanted."""

from __future__ import annotations

from typing import Protocol

from lean_trellis.core.errors import Cancelled


class Watch(Protocol):
    """Passed to slow functions. `at` is called between steps and raises `Cancelled` when asked to stop."""

    def at(self, share: float, words: str) -> None:
        """Report that `share` (0..1) of the work is done and what comes next."""


class Unwatched:
    """Nobody looks; nothing is cancelled."""

    def at(self, share: float, words: str) -> None:
        """Do nothing."""


class Stretch:
    """A stretch of a longer task: maps 0..1 onto `start`..`stop` of the outer watch."""

    def __init__(self, outer: Watch, start: float, stop: float) -> None:
        self._outer, self._start, self._stop = outer, start, stop

    def at(self, share: float, words: str) -> None:
        """Report to the outer watch."""
        self._outer.at(self._start + share * (self._stop - self._start), words)


class CountingWatch:
    """Records what was reported; cancels after `cancel_after` reports. For tests and dry runs."""

    def __init__(self, cancel_after: int | None = None) -> None:
        self.reports: list[tuple[float, str]] = []
        self._cancel_after = cancel_after

    def at(self, share: float, words: str) -> None:
        """Remember the report; raise `Cancelled` when the limit is reached."""
        self.reports.append((share, words))
        if self._cancel_after is not None and len(self.reports) > self._cancel_after:
            raise Cancelled


UNWATCHED: Watch = Unwatched()
