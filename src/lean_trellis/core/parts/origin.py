"""Where a part came from: the file, which body of it, the unit it was taken in, how finely it was tessellated."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Origin:
    """`file` as it was named, `body` its place in the file. `unit` is what one length of the file was taken as;

    `unit_is_from` tells by whom: the file, a guess from the size, or the user. `tolerance_mm` is that of the
    tessellation, None for files that hold triangles.
    """

    file: str = ""
    body: int = 0
    unit: str = "mm"
    unit_is_from: str = "user"
    tolerance_mm: float | None = None
