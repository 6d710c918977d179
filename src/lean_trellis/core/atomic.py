"""Files that are either the old one or the new one, never half of each."""

from __future__ import annotations

import os
import secrets
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
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

    On any failure, Ctrl-C included, the old file stays and the half-written one is removed. Where the file system can,
    it has no name until it is whole: so nothing of it stays even when the process is killed.
    Raises `AccessError` where the system refuses.
    """
    path = Path(path)
    try:
        handle, beside, is_nameless = _begun(path)
    except OSError as problem:
        raise AccessError.of(path, problem, "write") from problem
    _unfinished.add(beside)
    try:
        with os.fdopen(handle, "wb") as file:
            yield file
            file.flush()
            os.fsync(file.fileno())
            if is_nameless:
                # Links in /proc are only followed by the call that takes a folder, though an absolute path needs none.
                os.link(f"/proc/self/fd/{file.fileno()}", beside, src_dir_fd=file.fileno())
        _take_over_mode(path, beside)
        Path(beside).replace(path)
        _flush_folder(path.parent)
    except OSError as problem:
        raise AccessError.of(path, problem, "write") from problem
    finally:
        Path(beside).unlink(missing_ok=True)
        _unfinished.discard(beside)


def _begun(path: Path) -> tuple[int, str, bool]:
    """An open file in the folder of `path`, the name beside it that it has or gets, and whether it is yet to get it."""
    nameless = getattr(os, "O_TMPFILE", 0)
    beside = path.parent / f".{path.name}.{secrets.token_hex(4)}.part"
    if nameless and Path("/proc/self/fd").is_dir():
        with suppress(OSError):  # not every file system can
            return os.open(path.parent, nameless | os.O_WRONLY, 0o600), str(beside), True
    handle, named = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
    return handle, named, False


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
