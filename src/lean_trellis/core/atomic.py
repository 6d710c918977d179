"""Files that are either the old one or the new one, never half of each."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from lean_trellis.core.errors import AccessError

_unfinished: set[str] = set()


def discard_unfinished() -> None:
    """Remove what is half written: for a process that is about to end at once."""
    for beside in tuple(_unfinished):
        Path(beside).unlink(missing_ok=True)


@contextmanager
def written_whole(path: Path) -> Iterator[IO[bytes]]:
    """A binary file that is written beside `path`, flushed to disk and moved into place when whole.

    On any failure, Ctrl-C included, the old file stays and the half-written one is removed.
    Raises `AccessError` where the system refuses.
    """
    path = Path(path)
    try:
        handle, beside = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
    except OSError as problem:
        raise AccessError.of(path, problem, "write") from problem
    _unfinished.add(beside)
    try:
        with os.fdopen(handle, "wb") as file:
            yield file
            file.flush()
            os.fsync(file.fileno())
        _take_over_mode(path, beside)
        Path(beside).replace(path)
        _flush_folder(path.parent)
    except OSError as problem:
        raise AccessError.of(path, problem, "write") from problem
    finally:
        Path(beside).unlink(missing_ok=True)
        _unfinished.discard(beside)


def _take_over_mode(path: Path, beside: str) -> None:
    """A replaced file keeps its permissions; a new one gets those the umask gives."""
    if path.exists():
        mode = path.stat().st_mode & 0o777
    else:
        umask = os.umask(0)
        os.umask(umask)
        mode = 0o666 & ~umask
    Path(beside).chmod(mode)


def _flush_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
