"""Which format a file is in, recognised by its content first and its suffix last."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

import numpy as np

from lean_trellis.core.errors import AccessError, FormatError
from lean_trellis.core.formats import amf, obj, off, ply, step, stl, three_mf
from lean_trellis.core.formats.archives import DAMAGED_ZIP
from lean_trellis.core.formats.body import KNOWN_FILES, UNIT_MM, Body
from lean_trellis.core.heavy import heavy
from lean_trellis.core.progress import UNWATCHED, Watch

_HEAD_BYTES = 4096
_USUAL_MM = (3.0, 1000.0)
MOST_REACH_MM = 1e9
"""Places further out than this are damage, not a part."""


@dataclass(frozen=True)
class Format:
    """A kind of file that can be read."""

    id: str
    title: str
    read: Callable[[Path, Watch], list[Body]]


STL_BINARY = Format("stl", "STL (binary)", stl.read_binary)
STL_ASCII = Format("stl-ascii", "STL (text)", stl.read_ascii)
OBJ = Format("obj", "OBJ", obj.read)
PLY = Format("ply", "PLY", ply.read)
THREE_MF = Format("3mf", "3MF", three_mf.read)
AMF = Format("amf", "AMF", amf.read)
OFF = Format("off", "OFF", off.read)
STEP = Format("step", "STEP", step.read)

SUFFIXES = ("stl", "3mf", "obj", "ply", "amf", "off", "step", "stp")
"""What a file dialog offers; the content decides all the same."""


def recognise(path: Path) -> Format:
    """Tell the format of a file. Raises `AccessError` or `FormatError` with what to try."""
    path = Path(path)
    try:
        size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(_HEAD_BYTES)
    except OSError as problem:
        raise AccessError.of(path, problem, "read") from problem
    if size == 0:
        raise FormatError(path, "is empty", "export or copy it again")
    if head.startswith(b"PK\x03\x04"):
        return _kind_of_zip(path)
    if step.is_step(head):
        return STEP
    if head.startswith((b"ply\n", b"ply\r")):
        return PLY
    if stl.is_binary_of_size(head, size):
        return STL_BINARY
    if _is_text(head):
        return _kind_of_text(path, head)
    if size >= stl.HEADER_BYTES and path.suffix.lower() == ".stl":
        return STL_BINARY
    raise FormatError(path, "is no kind of mesh file known here", f"give {KNOWN_FILES}")


def _kind_of_zip(path: Path) -> Format:
    try:
        with zipfile.ZipFile(path) as archive:
            names = archive.namelist()
    except (*DAMAGED_ZIP, OSError, ValueError):
        raise FormatError(path, "is a damaged zip archive", "copy or export it again") from None
    if "job.json" in names:
        raise FormatError(path, "is a job, not a part", "open it with Open job, or pass it as JOB")
    if not any(name.lower().endswith(".model") for name in names) and any(n.lower().endswith(".amf") for n in names):
        return AMF
    return THREE_MF


def _is_text(head: bytes) -> bool:
    printable = sum(byte >= 32 or byte in (9, 10, 13) for byte in head)
    return b"\0" not in head and printable >= 0.98 * len(head)


def _kind_of_text(path: Path, head: bytes) -> Format:
    start = head.lstrip().lower()
    if start.startswith(b"solid") and (b"facet" in start or b"endsolid" in start or b"vertex" in start):
        return STL_ASCII
    if off.is_off(head):
        return OFF
    if b"<amf" in start:
        return AMF
    lines = [line.split() for line in head.splitlines()]
    if any(len(words) >= 4 and words[0] == b"v" for words in lines):
        return OBJ
    raise FormatError(path, "is text that holds no mesh", f"give {KNOWN_FILES}")


@heavy
def read_bodies(
    path: Path, *, unit: str | None = "mm", tolerance_mm: float | None = None, watch: Watch = UNWATCHED
) -> list[Body]:
    """All bodies of a file in mm.

    `unit` (mm, cm, m, in) is taken where the file names none; None has it guessed from the size. `tolerance_mm`
    is how far a facet may lie from a STEP file's surface. Raises `FormatError` or `AccessError`.
    """
    path = Path(path)
    known = recognise(path)
    try:
        # Numbers of a damaged file may overflow on the way; what came out is looked at below.
        with np.errstate(all="ignore"):
            if known is STEP and tolerance_mm is not None:
                bodies = step.read(path, watch, tolerance_mm=tolerance_mm)
            else:
                bodies = known.read(path, watch)
    except OSError as problem:
        raise AccessError.of(path, problem, "read") from problem
    except MemoryError:
        raise FormatError(path, "is too large for this machine's memory", "reduce the mesh first") from None
    taken = guessed_unit(bodies) if unit is None else unit
    by: Literal["guess", "user"] = "guess" if unit is None else "user"
    with np.errstate(all="ignore"):
        read = [
            replace(body, place=place, unit_is_from="file")
            if body.unit_known
            else replace(body, place=place, mesh=body.mesh.scaled(UNIT_MM[taken]), unit=taken, unit_is_from=by)
            for place, body in enumerate(bodies)
        ]
    for body in read:
        _require_size(path, body)
    return read


def _require_size(path: Path, body: Body) -> None:
    """Refuse what no machine builds before its numbers overflow in areas and volumes."""
    reach = float(np.abs(body.mesh.vertices).max(initial=0.0))
    if not reach <= MOST_REACH_MM:
        raise FormatError(path, f"reaches {reach:.3g} mm from its origin, more than {MOST_REACH_MM:g} mm",
                          "check the unit, or export it again")  # fmt: skip


def guessed_unit(bodies: list[Body]) -> str:
    """The unit in which a file that names none was most likely written: the first that gives a usual size.

    Parts are mostly between 3 mm and 1 m long; millimetres are tried first, then inches, metres, microns.
    """
    longest = max((float((body.mesh.bounds[1] - body.mesh.bounds[0]).max()) for body in bodies), default=0.0)
    for unit in ("mm", "in", "m", "micron"):
        if _USUAL_MM[0] <= longest * UNIT_MM[unit] <= _USUAL_MM[1]:
            return unit
    return "mm"
