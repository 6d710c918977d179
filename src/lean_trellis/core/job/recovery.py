"""Recovery copies: for each open window a folder with its job as it was a moment ago, for after a crash.

A copy is `job.json`, the meshes it names (each written once) and `about.json`, which says what it is a copy of. The
folder is locked for as long as the process lives that writes it, however that process ends.
"""

from __future__ import annotations

import json
import os
import shutil
import uuid
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import AccessError, FormatError
from lean_trellis.core.formats import ply
from lean_trellis.core.job.files import JOB_MEMBER, SUFFIX, job_text, mesh_member, meshes_of, open_job, read_job
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.locks import locked
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.shop.library import Library

_ABOUT, _LOCK, _MESHES = "about.json", "lock", "meshes"


@dataclass(frozen=True)
class LeftCopy:
    """A copy whose window is gone: the job's name, its parts' names, the file it belongs to, when it was written."""

    folder: Path
    name: str
    parts: tuple[str, ...]
    file: Path | None
    seconds: float


class RecoveryCopy:
    """A copy that this process has locked: it alone writes and removes it."""

    def __init__(self, folder: Path, lock: IO[bytes]) -> None:
        self.folder = folder
        self._lock = lock

    @classmethod
    def create(cls, root: Path) -> RecoveryCopy:
        """A new one below `root`. Raises `AccessError` where it cannot be made."""
        folder = root / uuid.uuid4().hex
        try:
            (folder / _MESHES).mkdir(parents=True)
            copy = cls.claim(folder)
        except OSError as problem:
            raise AccessError.of(folder, problem, "write") from problem
        assert copy is not None, "nobody else knows the folder"
        return copy

    @classmethod
    def claim(cls, folder: Path) -> RecoveryCopy | None:
        """Take over a copy that was left behind; None where a living process has it."""
        lock = locked(folder / _LOCK)
        return None if lock is None else cls(folder, lock)

    def write(self, job: Job, file: Path | None) -> None:
        """Keep the job as it is now; `file` is where it was last saved. Raises `AccessError`."""
        try:
            meshes = meshes_of(job)
            (self.folder / _MESHES).mkdir(exist_ok=True)
            for key, mesh in meshes.items():
                place = self.folder / mesh_member(key)
                if not place.exists():
                    with written_whole(place) as stream:
                        stream.write(ply.ply_bytes(mesh))
            about = {"name": job.name, "parts": [part.name for part in job.parts], "file": str(file or "")}
            for name, text in ((_ABOUT, json.dumps(about)), (JOB_MEMBER, job_text(job))):
                with written_whole(self.folder / name) as stream:
                    stream.write(text.encode())
            for place in (self.folder / _MESHES).glob("*.ply"):
                if place.stem not in meshes:
                    place.unlink()
        except OSError as problem:
            raise AccessError.of(self.folder, problem, "write") from problem

    def release(self) -> None:
        """Leave it for later: from now on anybody may take it over."""
        self._lock.close()

    def discard(self) -> None:
        """Remove it for good."""
        shutil.rmtree(self.folder, ignore_errors=True)
        self._lock.close()


def copies_left(root: Path) -> list[LeftCopy]:
    """The copies below `root` that no living process writes, the latest first."""
    left = [copy for copy in _copies_in(root) if copy is not None]
    return sorted(left, key=lambda copy: copy.seconds, reverse=True)


def _copies_in(root: Path) -> Iterator[LeftCopy | None]:
    if not root.is_dir():
        return
    for entry in root.iterdir():
        if (entry / JOB_MEMBER).exists():
            yield _left_folder(entry)
        elif entry.suffix == SUFFIX:
            yield _left_file(entry)


def _left_folder(folder: Path) -> LeftCopy | None:
    try:
        claimed = RecoveryCopy.claim(folder)
        if claimed is None:
            return None
        claimed.release()
        seconds = (folder / JOB_MEMBER).stat().st_mtime
    except OSError:
        return None
    about = _about(folder)
    file = str(about.get("file") or "")
    parts = about.get("parts")
    names = tuple(str(name) for name in parts) if isinstance(parts, list) else ()
    return LeftCopy(folder, str(about.get("name") or "Untitled"), names, Path(file) if file else None, seconds)


def _about(folder: Path) -> dict[str, Any]:
    try:
        about = json.loads((folder / _ABOUT).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return about if isinstance(about, dict) else {}


def _left_file(path: Path) -> LeftCopy | None:
    """A copy as earlier versions kept it: one job file, named by the number of its process."""
    if path.stem.isdigit() and Path(f"/proc/{path.stem}").exists() and int(path.stem) != os.getpid():
        return None
    return LeftCopy(path, "Untitled", (), None, path.stat().st_mtime)


def open_copy(copy: LeftCopy, library: Library, watch: Watch = UNWATCHED) -> Job:
    """The job of a copy. Raises `AccessError`, `FormatError` or `NewerFileError`."""
    if copy.folder.suffix == SUFFIX:
        return open_job(copy.folder, library, watch)

    def read(member: str) -> bytes:
        return (copy.folder / member).read_bytes()

    try:
        return read_job(copy.folder, read, library, watch)
    except FileNotFoundError as problem:
        raise FormatError(copy.folder, f"is incomplete: it lacks {problem.filename}", "open another copy") from None
    except OSError as problem:
        raise AccessError.of(copy.folder, problem, "read") from problem
