"""Where the shop library is. Imports no database: most commands need none."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs

ADDRESS = "LEAN_TRELLIS_LIBRARY"
_FILE = "sqlite:///"


def library_url() -> str:
    """The address of the shop library: what the environment says, else a file in the user's data folder."""
    return os.environ.get(ADDRESS) or f"{_FILE}{Path(platformdirs.user_data_dir('lean-trellis')) / 'library.db'}"


def library_is_there() -> bool:
    """Whether there is a library to read: a file that is there, or anything at another address."""
    url = library_url()
    return not url.startswith(_FILE) or Path(url.removeprefix(_FILE)).exists()
