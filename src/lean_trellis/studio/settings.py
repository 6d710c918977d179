"""What is remembered from session to session, in the user's configuration folder (XDG)."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any

import platformdirs
import tomlkit
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import AccessError

MOST_RECENT = 8


class Settings(BaseModel):
    """Machine, material, recent jobs, folders, look. Unknown or wrong entries are passed over."""

    model_config = ConfigDict(extra="ignore", validate_assignment=True)

    machine: str = "metal-260"
    material: str = "steel-316l"
    recent: list[str] = []
    folder: str = ""
    night: bool = False
    window: list[int] = []
    started_before: bool = False
    angles_from_vertical: bool = False
    map_hidden: bool = False
    window_memory_mb: int = Field(600, ge=50, le=64_000)
    worker_memory_mb: int = Field(1500, ge=50, le=64_000)
    """How much of what follows from jobs is kept at most, by the window and beside it; taken at the start."""

    def remember_job(self, path: Path) -> None:
        """Put a job at the head of the recent ones."""
        entry = str(path.resolve())
        self.recent = [entry, *(other for other in self.recent if other != entry)][:MOST_RECENT]
        self.folder = str(path.resolve().parent)


def settings_path() -> Path:
    """Where the settings are kept."""
    return Path(platformdirs.user_config_dir("lean-trellis")) / "settings.toml"


def recovery_folder() -> Path:
    """Where recovery copies are kept."""
    return Path(platformdirs.user_state_dir("lean-trellis")) / "recovery"


def load_settings(path: Path | None = None) -> Settings:
    """The settings; entries that cannot be read are left at their defaults."""
    try:
        content: dict[str, Any] = tomllib.loads((path or settings_path()).read_text(encoding="utf-8"))
    except (OSError, tomllib.TOMLDecodeError, UnicodeDecodeError):
        return Settings()
    good = Settings()
    for key, value in content.items():
        try:
            good = Settings.model_validate({**good.model_dump(), key: value})
        except ValidationError:
            continue
    return good


def save_settings(settings: Settings, path: Path | None = None) -> None:
    """Write the settings; what cannot be written is not worth a message."""
    target = path or settings_path()
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with written_whole(target) as file:
            file.write(tomlkit.dumps(settings.model_dump()).encode())
    except (OSError, AccessError):
        return
