"""STL, binary and ASCII. Binary facets are read as one structured array."""

from __future__ import annotations

import re
from pathlib import Path
from typing import IO

import numpy as np

from lean_trellis.core.arrays import AnyArray
from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats.body import Body, Named, require_finite, require_triangles
from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.mesh.weld import weld_corners
from lean_trellis.core.progress import UNWATCHED, Watch

FACET = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("attribute", "<u2")])
HEADER_BYTES = 84


def promised_triangles(head: bytes) -> int:
    """The count in a binary header; -1 when the head is too short to hold one."""
    return int.from_bytes(head[80:84], "little") if len(head) >= HEADER_BYTES else -1


def is_binary_of_size(head: bytes, size: int) -> bool:
    """Whether the header's count fits the file's size to the byte."""
    return promised_triangles(head) >= 0 and HEADER_BYTES + FACET.itemsize * promised_triangles(head) == size


def read_binary(path: Path, watch: Watch = UNWATCHED) -> list[Body]:
    """Read a binary STL. Raises `FormatError` when header and size disagree or a coordinate is no number."""
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(HEADER_BYTES)
        promised = promised_triangles(head)
        n_facets = (size - HEADER_BYTES) // FACET.itemsize
        if not is_binary_of_size(head, size):
            raise FormatError(
                path,
                f"its header promises {promised:,} triangles but the file holds {max(n_facets, 0):,}",
                "the file is cut off or damaged; copy or export it again",
            )
        require_triangles(path, promised)
        watch.at(0.1, f"reading {path.name}")
        facets = np.fromfile(file, FACET, promised)
    corners = np.ascontiguousarray(facets["corners"])
    return [_body(path, path.stem, corners, watch)]


def _body(path: Path, name: str, corners: AnyArray, watch: Watch) -> Body:
    require_finite(path, corners.reshape(-1, 9))
    watch.at(0.4, f"welding {path.name}")
    return Body(name, weld_corners(corners), len(corners))


_VERTEX = re.compile(rb"vertex\s+(\S+)\s+(\S+)\s+(\S+)", re.IGNORECASE)
_SOLID = re.compile(rb"^[ \t]*solid\b[ \t]*([^\r\n]*)", re.IGNORECASE | re.MULTILINE)


def read_ascii(path: Path, watch: Watch = UNWATCHED) -> list[Body]:
    """Read an ASCII STL; several `solid` blocks in one file become several bodies."""
    text = path.read_bytes()
    watch.at(0.2, f"reading {path.name}")
    if not text.rstrip().lower().rsplit(b"\n", 1)[-1].strip().startswith(b"endsolid"):
        raise FormatError(path, "ends in the middle: its last line is not 'endsolid'", "copy or export it again")
    starts = [match.start() for match in _SOLID.finditer(text)] or [0]
    bodies = []
    for start, stop in zip(starts, [*starts[1:], len(text)], strict=True):
        block = text[start:stop]
        corners = _ascii_corners(path, block)
        if len(corners):
            title = _SOLID.match(block)
            name = title.group(1).decode("utf-8", "replace").strip() if title and len(starts) > 1 else ""
            bodies.append(_body(path, name or path.stem, corners, watch))
    require_triangles(path, sum(body.triangles_read for body in bodies))
    return bodies


def _ascii_corners(path: Path, block: bytes) -> AnyArray:
    numbers = _VERTEX.findall(block)
    if len(numbers) % 3 or len(numbers) // 3 != len(re.findall(rb"\bendfacet\b", block, re.IGNORECASE)):
        raise FormatError(path, "a facet of it does not have three corners", "export the part again")
    try:
        return np.array(numbers, dtype="S32").astype(np.float32).reshape(-1, 3, 3)
    except ValueError:
        raise FormatError(path, "a coordinate in it is no number", "export the part again") from None


def write(file: IO[bytes], bodies: list[Named]) -> None:
    """Write all bodies as one binary STL."""
    mesh = join([body.mesh for body in bodies])
    file.write(stl_bytes(mesh))


def stl_bytes(mesh: Mesh) -> bytes:
    """One mesh as binary STL: 50 bytes a facet, normals from the faces."""
    facets = np.zeros(len(mesh.faces), FACET)
    facets["normal"] = mesh.normals
    facets["corners"] = mesh.corners
    header = b"Lean Trellis".ljust(80) + len(mesh.faces).to_bytes(4, "little")
    return header + facets.tobytes()
