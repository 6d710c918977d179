"""How commands answer: one JSON document, or a short table for a person; progress on standard error."""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

from lean_trellis.core.progress import UNWATCHED, Watch

if TYPE_CHECKING:
    from rich.progress import Progress

_WIDTH_IN_FILES = 140


def say_json(document: Any) -> None:
    """Print one JSON document on standard output; numbers that are none become null."""
    sys.stdout.write(json.dumps(_plain(document), ensure_ascii=False, allow_nan=False) + "\n")


def say_warning(words: str) -> None:
    """Say on standard error what was passed over."""
    sys.stderr.write(f"{words}\n")


def _plain(value: Any) -> Any:
    if isinstance(value, float) and not math.isfinite(value):
        return None
    if isinstance(value, dict):
        return {key: _plain(entry) for key, entry in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(entry) for entry in value]
    return value


def say_table(title: str, columns: Sequence[str], rows: Sequence[Sequence[object]]) -> None:
    """Print a short table."""
    from rich.console import Console
    from rich.table import Table

    console = Console() if sys.stdout.isatty() else Console(width=_WIDTH_IN_FILES)
    if not rows:
        console.print(title)
        return
    table = Table(title=title, title_justify="left")
    for number, column in enumerate(columns):
        is_number = bool(rows) and isinstance(rows[0][number], int | float)
        table.add_column(column, justify="right" if is_number else "left")
    for row in rows:
        table.add_row(*(_cell(entry) for entry in row))
    console.print(table)


def _cell(entry: object) -> str:
    if isinstance(entry, bool):
        return "yes" if entry else "no"
    if isinstance(entry, float):
        return f"{entry:,.2f}"
    return f"{entry:,}" if isinstance(entry, int) else str(entry)


class _Bar:
    def __init__(self, progress: Progress) -> None:
        self._progress = progress
        self._task = progress.add_task("", total=1.0)

    def at(self, share: float, words: str) -> None:
        self._progress.update(self._task, completed=share, description=words)


@contextmanager
def progress() -> Iterator[Watch]:
    """A live bar on standard error when that is a terminal; silent otherwise."""
    if not sys.stderr.isatty():
        yield UNWATCHED
        return
    from rich.console import Console
    from rich.progress import BarColumn, Progress, TextColumn

    columns = (TextColumn("{task.description}"), BarColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bars:
        yield _Bar(bars)
