"""Which job files are open: a lock for each beside the user's other state, that ends with its process.

Two windows may show one job file, but the second window says so, and only one of them writes it.
"""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import IO

from lean_trellis.core.job.locks import locked


class FileInUse:
    """A job file that this window works on; as long as it lives no other can claim it."""

    def __init__(self, path: Path, lock: IO[bytes]) -> None:
        self.path, self._lock = path, lock

    @classmethod
    def claim(cls, path: Path, folder: Path) -> FileInUse | None:
        """Claim a job file; None where another window has it. Locks are kept in a folder, which is made.

        Raises `OSError` where the folder cannot be written.
        """
        folder.mkdir(parents=True, exist_ok=True)
        place = path.resolve()
        lock = locked(folder / f"{hashlib.sha256(str(place).encode()).hexdigest()[:32]}.lock")
        return None if lock is None else cls(place, lock)

    def is_of(self, path: Path | None) -> bool:
        """Whether it is the claim on a file."""
        return path is not None and path.resolve() == self.path

    def release(self) -> None:
        """Let others have the file."""
        self._lock.close()
