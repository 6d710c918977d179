"""OFF: a count line, vertices, polygons. Colours and normals are passed over; polygons are cut into fans."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats.body import Body, require_finite, require_triangles
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.weld import weld
from lean_trellis.core.progress import UNWATCHED, Watch

_KEYWORDS = {b"OFF", b"COFF", b"NOFF", b"CNOFF", b"STOFF"}


def is_off(head: bytes) -> bool:
    """Whether a file begins as OFF does."""
    words = head.split(None, 1)
    return bool(words) and words[0] in _KEYWORDS


def read(path: Path, watch: Watch = UNWATCHED) -> list[Body]:
    """Read an OFF file. Raises `FormatError` where its counts and its lines disagree."""
    watch.at(0.1, f"reading {path.name}")
    rows = [line.split(b"#", 1)[0].split() for line in path.read_bytes().splitlines()]
    rows = [row for row in rows if row]
    if b"BINARY" in rows[0]:
        raise FormatError(path, "is binary OFF, which is not read", "export it as text, or as STL or 3MF")
    rows = [rows[0][1:], *rows[1:]] if len(rows[0]) > 1 else rows[1:]
    try:
        n_vertices, n_faces = int(rows[0][0]), int(rows[0][1])
    except (IndexError, ValueError):
        raise FormatError(path, "does not say how many vertices and faces it holds", "export it again") from None
    if n_vertices < 0 or n_faces < 0 or n_vertices + n_faces > len(rows) - 1:
        fault = f"promises {n_vertices:,} vertices and {n_faces:,} faces but holds {len(rows) - 1:,} lines"
        raise FormatError(path, fault, "the file is cut off or damaged; copy or export it again")
    require_triangles(path, n_faces)
    watch.at(0.4, f"reading {path.name}")
    try:
        vertices = np.array([row[:3] for row in rows[1 : 1 + n_vertices]], np.float64).reshape(-1, 3)
        polygons = [_corners(row) for row in rows[1 + n_vertices : 1 + n_vertices + n_faces]]
    except (ValueError, IndexError):
        raise FormatError(path, "a coordinate or a corner in it is no number", "export it again") from None
    require_finite(path, vertices)
    fans = [(p[0], p[i], p[i + 1]) for p in polygons for i in range(1, len(p) - 1)]
    faces = np.array(fans, np.int64).reshape(-1, 3)
    require_triangles(path, len(faces))
    if faces.min() < 0 or faces.max() >= len(vertices):
        raise FormatError(path, "a face names a vertex that is not there", "export the part again")
    watch.at(0.7, f"welding {path.name}")
    return [Body(path.stem, weld(Mesh(vertices, faces.astype(np.int32))), len(faces))]


def _corners(row: list[bytes]) -> list[int]:
    count = int(row[0])
    if count < 0 or len(row) < count + 1:
        raise ValueError
    return [int(word) for word in row[1 : count + 1]]
