"""Which format a file is in, told by its content first and its suffix last."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from lean_trellis.core.errors import AccessError, FormatError
from lean_trellis.core.formats import obj, ply, stl, three_mf
from lean_trellis.core.formats.body import UNIT_MM, Body
from lean_trellis.core.progress import UNWATCHED, Watch

_HEAD_BYTES = 4096


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

SUFFIXES = ("stl", "3mf", "obj", "ply")
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
    if head.startswith((b"ply\n", b"ply\r")):
        return PLY
    if stl.is_binary_of_size(head, size):
        return STL_BINARY
    if _is_text(head):
        return _kind_of_text(path, head)
    if size >= stl.HEADER_BYTES and path.suffix.lower() == ".stl":
        return STL_BINARY
    raise FormatError(path, "is no kind of mesh file known here", "give an STL, 3MF, OBJ or PLY file")


def _kind_of_zip(path: Path) -> Format:
    try:
        with zipfile.ZipFile(path) as archive:
            names = archive.namelist()
    except (zipfile.BadZipFile, OSError, ValueError):
        raise FormatError(path, "is a damaged zip archive", "copy or export it again") from None
    if "job.json" in names:
        raise FormatError(path, "is a job, not a part", "open it with Open job, or name it where a JOB is asked")
    return THREE_MF


def _is_text(head: bytes) -> bool:
    printable = sum(byte >= 32 or byte in (9, 10, 13) for byte in head)
    return b"\0" not in head and printable >= 0.98 * len(head)


def _kind_of_text(path: Path, head: bytes) -> Format:
    start = head.lstrip().lower()
    if start.startswith(b"solid") and (b"facet" in start or b"endsolid" in start or b"vertex" in start):
        return STL_ASCII
    lines = [line.split() for line in head.splitlines()]
    if any(len(words) >= 4 and words[0] == b"v" for words in lines):
        return OBJ
    raise FormatError(path, "is text that holds no mesh", "give an STL, 3MF, OBJ or PLY file")


def read_bodies(path: Path, *, unit: str = "mm", watch: Watch = UNWATCHED) -> list[Body]:
    """All bodies of a file in mm.

    `unit` (mm, cm, m, in) is taken where the file names none. Raises `FormatError` or `AccessError`.
    """
    path = Path(path)
    known = recognise(path)
    try:
        bodies = known.read(path, watch)
    except OSError as problem:
        raise AccessError.of(path, problem, "read") from problem
    except MemoryError:
        raise FormatError(path, "is too large for this machine's memory", "reduce the mesh first") from None
    factor = UNIT_MM[unit]
    if factor == 1:
        return bodies
    return [body if body.unit_known else replace(body, mesh=body.mesh.scaled(factor)) for body in bodies]
