"""AMF (ISO/ASTM 52915): objects with vertices and volumes, plain or zipped; one body an object, and out again.

Constellations, curved edges, colours and materials are passed over.
"""

from __future__ import annotations

import zipfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any

import numpy as np
from lxml import etree

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats.archives import DAMAGED_ZIP, require_harmless
from lean_trellis.core.formats.body import (
    KNOWN_FILES,
    UNIT_MM,
    Body,
    Named,
    require_finite,
    require_triangles,
    text_rows,
)
from lean_trellis.core.formats.xml import Broken, Target, streamed
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.weld import weld
from lean_trellis.core.progress import UNWATCHED, Watch

_UNITS = {"millimeter": "mm", "inch": "in", "feet": "ft", "meter": "m", "micron": "micron", "micrometer": "micron"}


@dataclass
class _AmfObject:
    name: str = ""
    numbers: list[float] = field(default_factory=list)
    corners: list[int] = field(default_factory=list)


@dataclass
class _Content:
    unit: str = ""
    objects: list[_AmfObject] = field(default_factory=list)


class _AmfBuilder(Target):
    """Keeps numbers, never a tree. A name counts where it stands directly in an object."""

    def __init__(self) -> None:
        self.content = _Content()
        self._text: list[str] = []
        self._path: list[str] = []
        self._is_name = False

    def start(self, tag: str, attributes: Any) -> None:
        name = tag.rpartition("}")[2]
        self._path.append(name)
        self._text = []
        if name == "object":
            self.content.objects.append(_AmfObject())
        elif name == "amf":
            self.content.unit = str(attributes.get("unit", "")).lower()
        self._is_name = name == "metadata" and attributes.get("type", "").lower() == "name"

    def data(self, text: str) -> None:
        self._text.append(text)

    def end(self, tag: str) -> None:
        name = self._path.pop()
        parent = self._path[-1] if self._path else ""
        if parent == "coordinates" and name in ("x", "y", "z"):
            self._object().numbers.append(float("".join(self._text)))
        elif parent == "triangle" and name in ("v1", "v2", "v3"):
            self._object().corners.append(int("".join(self._text)))
        elif self._is_name and name == "metadata" and parent == "object":
            self._object().name = "".join(self._text).strip()
        self._text = []

    def _object(self) -> _AmfObject:
        if not self.content.objects:
            raise Broken("holds coordinates outside of any object")
        return self.content.objects[-1]

    def close(self) -> _Content:
        return self.content


def read(path: Path, watch: Watch = UNWATCHED) -> list[Body]:
    """One body an object; the unit as the file names it, else unknown."""
    content = _zipped(path, watch) if zipfile.is_zipfile(path) else _plain(path, watch)
    if content.unit and content.unit not in _UNITS:
        raise FormatError(path, f"names an unknown unit ({content.unit!r})", "export it again in millimetres")
    require_triangles(path, sum(len(entry.corners) // 3 for entry in content.objects))
    unit = _UNITS.get(content.unit, "mm")
    bodies = []
    meshes = [entry for entry in content.objects if entry.corners]
    for number, entry in enumerate(meshes):
        watch.at(0.65 + 0.35 * number / len(meshes), f"welding {path.name}")
        vertices, faces = _arrays(path, entry)
        name = entry.name or (path.stem if len(meshes) == 1 else f"{path.stem} {number + 1}")
        mesh = weld(Mesh(vertices * UNIT_MM[unit], faces.astype(np.int32)))
        bodies.append(Body(name, mesh, len(faces), unit_known=bool(content.unit), unit=unit))
    return bodies


def _plain(path: Path, watch: Watch) -> _Content:
    with path.open("rb") as stream:
        content: _Content = streamed(path, stream, path.stat().st_size, _AmfBuilder(), watch)
    return content


def _zipped(path: Path, watch: Watch) -> _Content:
    try:
        with zipfile.ZipFile(path) as archive:
            require_harmless(path, archive)
            names = [name for name in archive.namelist() if name.lower().endswith(".amf")]
            if not names:
                raise FormatError(path, "is a zip archive with no AMF in it", f"give {KNOWN_FILES}")
            with archive.open(names[0]) as stream:
                size = archive.getinfo(names[0]).file_size
                content: _Content = streamed(path, stream, size, _AmfBuilder(), watch)
    except DAMAGED_ZIP:
        raise FormatError(path, "is a damaged zip archive", "copy or export it again") from None
    return content


def _arrays(path: Path, entry: _AmfObject) -> tuple[Floats, Any]:
    if len(entry.numbers) % 3 or len(entry.corners) % 3:
        raise FormatError(path, "a vertex or triangle of it lacks a number", "export it again")
    vertices = np.array(entry.numbers, np.float64).reshape(-1, 3)
    faces = np.array(entry.corners, np.int64).reshape(-1, 3)
    require_finite(path, vertices)
    if faces.min() < 0 or faces.max() >= len(vertices):
        raise FormatError(path, "a triangle names a vertex that is not there", "export it again")
    return vertices, faces


def write(file: IO[bytes], bodies: list[Named]) -> None:
    """Each body as an object of its own under its name, in millimetres."""
    file.write(b'<?xml version="1.0" encoding="utf-8"?>\n<amf unit="millimeter" version="1.2">\n')
    for number, body in enumerate(bodies):
        name = etree.Element("metadata", type="name")
        name.text = "".join(letter for letter in body.name if letter >= " ")
        file.write(f'<object id="{number}">'.encode() + etree.tostring(name) + b"<mesh><vertices>\n")
        corner = "<vertex><coordinates><x>%.9g</x><y>%.9g</y><z>%.9g</z></coordinates></vertex>"
        file.write(text_rows(corner, body.mesh.vertices) + b"</vertices><volume>\n")
        triangle = "<triangle><v1>%d</v1><v2>%d</v2><v3>%d</v3></triangle>"
        file.write(text_rows(triangle, body.mesh.faces) + b"</volume></mesh></object>\n")
    file.write(b"</amf>\n")
