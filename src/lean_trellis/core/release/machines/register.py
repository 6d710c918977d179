"""Which practice machines run on this computer: a file each, readable by their user alone."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from pathlib import Path

import platformdirs

FOLDER = "LEAN_TRELLIS_MACHINES"
_SUFFIX = ".machine.json"


@dataclass(frozen=True)
class Known:
    """A machine that said it runs: its kind, name, address, the token that it wants, and its process."""

    machine: str
    name: str
    address: str
    token: str
    process: int = 0


def machines_folder() -> Path:
    """Where they are noted, and where each keeps its memory."""
    return Path(os.environ.get(FOLDER) or Path(platformdirs.user_data_dir("lean-trellis")) / "machines")


def memory_folder(machine_id: str) -> Path:
    """Where a machine of a kind remembers what it was sent."""
    return machines_folder() / machine_id


@contextmanager
def noted(known: Known) -> Iterator[Path]:
    """A note that a machine runs, for as long as it does."""
    folder = machines_folder()
    folder.mkdir(parents=True, exist_ok=True)
    path = folder / f"{known.machine}-{known.process}{_SUFFIX}"
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w", encoding="utf-8") as file:
        json.dump(asdict(known), file)
    try:
        yield path
    finally:
        path.unlink(missing_ok=True)


def known_machines() -> tuple[Known, ...]:
    """The machines that run, by kind; notes of those whose process has ended are cleared away."""
    machines = []
    for path in sorted(machines_folder().glob(f"*{_SUFFIX}")):
        try:
            known = Known(**json.loads(path.read_text("utf-8")))
        except (OSError, ValueError, TypeError):
            continue
        if _runs(known.process):
            machines.append(known)
        else:
            path.unlink(missing_ok=True)
    return tuple(machines)


def _runs(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (PermissionError, OverflowError):
        return True
    return process > 0
