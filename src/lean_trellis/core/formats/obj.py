"""Wavefront OBJ: vertices and polygons, each `o` a body of its own. Materials and curves are passed over."""

from __future__ import annotations

from pathlib import Path
from typing import IO

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats.body import Body, Named, require_finite, require_triangles, text_rows
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.weld import weld
from lean_trellis.core.progress import UNWATCHED, Watch


def read(path: Path, watch: Watch = UNWATCHED) -> list[Body]:
    """Read an OBJ file; polygons are cut into fans. Raises `FormatError` on faces that name no vertex."""
    watch.at(0.1, f"reading {path.name}")
    vertices, objects = _parse(path)
    require_finite(path, vertices)
    require_triangles(path, sum(len(faces) for _, faces in objects))
    bodies = []
    for number, (name, triangles) in enumerate(objects):
        watch.at(0.5 + 0.5 * number / len(objects), f"welding {name or path.stem}")
        faces = np.array(triangles, np.int64)
        if len(faces) and (faces.min() < 0 or faces.max() >= len(vertices)):
            raise FormatError(path, "a face names a vertex that is not there", "export the part again")
        if len(faces):
            bodies.append(Body(name or path.stem, weld(Mesh(vertices, faces.astype(np.int32))), len(faces)))
    return bodies


def _parse(path: Path) -> tuple[Floats, list[tuple[str, list[tuple[int, int, int]]]]]:
    vertices: list[tuple[float, ...]] = []
    triangles: list[tuple[int, int, int]] = []
    objects = [("", triangles)]
    with path.open("r", encoding="utf-8", errors="replace") as file:
        for number, line in enumerate(file, start=1):
            words = line.split()
            if not words:
                continue
            try:
                if words[0] == "v":
                    vertices.append((float(words[1]), float(words[2]), float(words[3])))
                elif words[0] == "f":
                    triangles.extend(_fan(words[1:], len(vertices)))
                elif words[0] == "o":
                    triangles = []
                    objects.append((" ".join(words[1:]), triangles))
            except (ValueError, IndexError):
                raise FormatError(path, f"line {number} cannot be understood: {line.strip()[:40]!r}",
                                  "export the part again") from None  # fmt: skip
    points = np.array(vertices, dtype=np.float64).reshape(-1, 3)
    return points, [entry for entry in objects if entry[1]]


def _fan(words: list[str], known: int) -> list[tuple[int, int, int]]:
    numbers = [int(word.split("/", 1)[0]) for word in words]
    corners = [n - 1 if n > 0 else known + n for n in numbers]
    if len(corners) < 3 or 0 in numbers:
        raise ValueError
    return [(corners[0], corners[i], corners[i + 1]) for i in range(1, len(corners) - 1)]


def write(file: IO[bytes], bodies: list[Named]) -> None:
    """Each body as an `o` of its own under its name; mm, which OBJ cannot say, is in a comment."""
    file.write(b"# Lean Trellis, mm\n")
    first = 1
    for body in bodies:
        file.write(f"o {' '.join(body.name.split())}\n".encode())
        file.write(text_rows("v %.9g %.9g %.9g", body.mesh.vertices))
        file.write(text_rows("f %d %d %d", body.mesh.faces + first))
        first += len(body.mesh.vertices)
