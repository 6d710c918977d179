"""Files locked for as long as the process lives that locked them, however it ends."""

from __future__ import annotations

import fcntl
from pathlib import Path
from typing import IO


def locked(path: Path) -> IO[bytes] | None:
    """A lock on a file, made where it is not there; None where another holds it. Closing it releases it.

    Raises `OSError` where the file cannot be opened.
    """
    lock = path.open("ab")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        lock.close()
        return None
    return lock
