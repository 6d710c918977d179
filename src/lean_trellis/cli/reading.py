"""Bodies of mesh files for commands. Imports no more than reading needs."""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path

from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body, read_bodies
from lean_trellis.core.formats.body import UNIT_MM
from lean_trellis.core.progress import Stretch, Watch


def require_unit(unit: str) -> str:
    """The unit, when files may carry it."""
    if unit not in UNIT_MM:
        raise EditError("--units", f"{unit!r} is no unit known here", "give mm, cm, m or in")
    return unit


@dataclass(frozen=True)
class Read:
    """Bodies with the file each came from, and the seconds it took."""

    bodies: tuple[tuple[Path, Body], ...]
    seconds: float


def read_files(files: list[Path], units: str, watch: Watch) -> Read:
    """Read every file; the first bad one ends it with its error."""
    begin = time.perf_counter()
    unit = require_unit(units)
    bodies = []
    for number, file in enumerate(files):
        stretch = Stretch(watch, number / len(files), (number + 1) / len(files))
        bodies += [(file, body) for body in read_bodies(file, unit=unit, watch=stretch)]
    return Read(tuple(bodies), time.perf_counter() - begin)
