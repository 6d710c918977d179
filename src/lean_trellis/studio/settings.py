"""What is remembered from session to session, in the user's configuration folder (XDG)."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any

import platformdirs
import tomlkit
from pydantic import BaseModel, ConfigDict, Field, PrivateAttr, ValidationError

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import AccessError
from lean_trellis.core.shop.address import settings_path

MOST_RECENT = 8


class Settings(BaseModel):
    """Machine, material, recent jobs, folders, look. Unknown or wrong entries are passed over.

    Those that were loaded from a file (`load_settings`) are written there as soon as one changes.
    """

    model_config = ConfigDict(extra="ignore", validate_assignment=True)
    _file: Path | None = PrivateAttr(None)

    machine: str = "metal-260"
    material: str = "steel-316l"
    recent: list[str] = []
    folder: str = ""
    """Where parts were imported from last."""
    job_folder: str = ""
    """Where a job was saved or opened last."""
    night: bool = False
    window: list[int] = []
    angles_from_vertical: bool = False
    inches: bool = False
    """Whether lengths are shown in inches."""
    map_hidden: bool = False
    library: str = ""
    """The shop library's address, a database URL; the user's own file where it is empty."""
    last_supports: dict[str, str] = {}
    """What the last support of each material was made with: a set, or a recipe."""
    favourite_sets: list[str] = []
    """Parameter sets that are offered first."""
    person: str = ""
    """Who waives and releases here."""
    next_step: bool = True
    """Whether the status line says what to do next."""
    window_memory_mb: int = Field(600, ge=50, le=64_000)
    worker_memory_mb: int = Field(1500, ge=50, le=64_000)
    """How much of what follows from jobs is kept at most, by the window and beside it; taken at the start."""

    def remember_job(self, path: Path) -> None:
        """Put a job at the head of the recent ones."""
        entry = str(path.resolve())
        self.recent = [entry, *(other for other in self.recent if other != entry)][:MOST_RECENT]
        self.job_folder = str(path.resolve().parent)

    def kept_in(self, file: Path) -> Settings:
        """These settings, written to a file whenever one changes."""
        self._file = file
        return self

    def __setattr__(self, name: str, value: Any) -> None:
        before = getattr(self, name, None) if name in type(self).model_fields else value
        super().__setattr__(name, value)
        if self._file is not None and before != value:
            _write_one(self._file, name, getattr(self, name))


def open_files_folder() -> Path:
    """Where it is kept which job files are open."""
    return Path(platformdirs.user_state_dir("lean-trellis")) / "open"


def recovery_folder() -> Path:
    """Where recovery copies are kept."""
    return Path(platformdirs.user_state_dir("lean-trellis")) / "recovery"


def load_settings(path: Path | None = None) -> Settings:
    """The settings; entries that cannot be read are left at their defaults. Changes are written to the same file."""
    file, good = path or settings_path(), Settings()
    content = _content(file)
    for key, value in content.items():
        try:
            good = Settings.model_validate({**good.model_dump(), key: value})
        except ValidationError:
            continue
    return good.kept_in(file)


def _content(file: Path) -> dict[str, Any]:
    try:
        return tomllib.loads(file.read_text(encoding="utf-8"))
    except (OSError, tomllib.TOMLDecodeError, UnicodeDecodeError):
        return {}


def _write_one(file: Path, name: str, value: Any) -> None:
    """Write one entry; the others stay as they are there, whichever window wrote them."""
    _write(file, _content(file) | {name: value})


def _write(target: Path, content: dict[str, Any]) -> None:
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with written_whole(target) as file:
            file.write(tomlkit.dumps(content).encode())
    except (OSError, AccessError):
        return
