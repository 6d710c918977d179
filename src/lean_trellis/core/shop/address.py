"""Where the shop library is. Imports no database: most commands need none."""

from __future__ import annotations

import os
import tomllib
from pathlib import Path

import platformdirs

ADDRESS = "LEAN_TRELLIS_LIBRARY"
_FILE = "sqlite:///"


def library_url() -> str:
    """The address of the shop library: what the environment says, else the settings, else a file of the user's own."""
    return os.environ.get(ADDRESS) or _of_settings() or usual_url()


def usual_url() -> str:
    """The file in the user's data folder."""
    return f"{_FILE}{Path(platformdirs.user_data_dir('lean-trellis')) / 'library.db'}"


def settings_path() -> Path:
    """Where the user's settings are kept; the window writes them."""
    return Path(platformdirs.user_config_dir("lean-trellis")) / "settings.toml"


def _of_settings() -> str:
    try:
        said = tomllib.loads(settings_path().read_text(encoding="utf-8")).get("library", "")
    except (OSError, ValueError):
        return ""
    return said if isinstance(said, str) else ""


def library_is_there(url: str = "") -> bool:
    """Whether there is a library to read: a file that is there, or anything at another address."""
    address = url or library_url()
    return not address.startswith(_FILE) or Path(address.removeprefix(_FILE)).exists()
