"""What a reader gives and a writer takes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trellis.core.arrays import AnyArray, Floats
from lean_trellis.core.errors import FormatError
from lean_trellis.core.mesh.mesh import Mesh

KNOWN_FILES = "an STL, 3MF, OBJ, PLY, AMF, OFF or STEP file"
UNIT_MM = {"micron": 0.001, "mm": 1.0, "cm": 10.0, "m": 1000.0, "in": 25.4, "ft": 304.8}
MOST_TRIANGLES = 60_000_000
"""More than this in one file is refused before it takes memory (about 4 GB as arrays)."""


@dataclass(frozen=True, eq=False)
class Body:
    """One solid or build item of a file, welded, in mm.

    `unit_known` tells whether the file named its unit, `unit` and `unit_is_from` what was taken in the end.
    `place` is its number in the file, `tolerance_mm` that of a tessellation.
    """

    name: str
    mesh: Mesh
    triangles_read: int
    unit_known: bool = False
    unit: str = "mm"
    unit_is_from: Literal["file", "guess", "user"] = "user"
    place: int = 0
    tolerance_mm: float | None = None


@dataclass(frozen=True, eq=False)
class Beams:
    """Straight beams with round ends: `places` (k, 2, 3) of their ends and `radii` (k, 2) there, mm."""

    places: Floats
    radii: Floats


@dataclass(frozen=True, eq=False)
class Named:
    """A mesh to be written under a name, as what it is to the build; `beams` where the format knows them."""

    name: str
    mesh: Mesh
    role: Literal["part", "support"] = "part"
    beams: Beams | None = None
    is_sheet: bool = False
    """Whether it is open on purpose: walls of no thickness, drawn by one scan line."""


def require_finite(path: object, points: AnyArray) -> None:
    """Raise `FormatError` when a coordinate is no number."""
    if not np.isfinite(points).all():
        bad = int(np.flatnonzero(~np.isfinite(points).all(axis=tuple(range(1, points.ndim))))[0])
        raise FormatError(
            path, f"holds coordinates that are no numbers (first at entry {bad + 1})", "export the part again"
        )


def require_triangles(path: object, count: int) -> None:
    """Raise `FormatError` when there are none, or more than we take."""
    if count == 0:
        raise FormatError(path, "holds no triangles", "export the part as a mesh again")
    if count > MOST_TRIANGLES:
        raise FormatError(path, f"holds {count:,} triangles, more than {MOST_TRIANGLES:,}", "reduce the mesh first")


def text_rows(template: str, rows: AnyArray) -> bytes:
    """Each row of a table through a %-template, a line each."""
    return "\n".join(template % tuple(row) for row in rows.tolist()).encode() + b"\n"
