"""PLY: ASCII and binary in, binary little-endian out (also the form in which jobs keep meshes)."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, BinaryIO

import numpy as np

from lean_trellis.core.arrays import AnyArray, Floats, Longs
from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats.body import Body, Named, require_finite, require_triangles
from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.mesh.weld import weld
from lean_trellis.core.progress import UNWATCHED, Watch

_TYPES = {
    "char": "i1", "int8": "i1", "uchar": "u1", "uint8": "u1", "short": "i2", "int16": "i2", "ushort": "u2",
    "uint16": "u2", "int": "i4", "int32": "i4", "uint": "u4", "uint32": "u4", "float": "f4", "float32": "f4",
    "double": "f8", "float64": "f8",
}  # fmt: skip


@dataclass
class _Element:
    name: str
    count: int
    scalars: list[tuple[str, str]] = field(default_factory=list)
    lists: list[tuple[str, str, str]] = field(default_factory=list)


def read(path: Path, watch: Watch = UNWATCHED) -> list[Body]:
    """Read a PLY file's vertices and faces; polygons are cut into fans."""
    watch.at(0.1, f"reading {path.name}")
    with path.open("rb") as file:
        mesh, count = read_stream(file, path, path.stat().st_size)
    watch.at(0.6, f"welding {path.name}")
    return [Body(path.stem, weld(mesh), count)]


def read_stream(file: BinaryIO | IO[bytes], path: object, size: int) -> tuple[Mesh, int]:
    """The mesh in an open stream of `size` bytes, not welded, and its triangle count."""
    encoding, elements = _header(file, path)
    vertices: Floats | None = None
    faces: Longs | None = None
    for element in elements:
        _require_room(path, element, encoding, size)
        if element.name == "vertex":
            vertices = _vertices(file, path, element, encoding)
        elif element.name == "face":
            faces = _faces(file, path, element, encoding)
        elif vertices is None or faces is None:
            _rows(file, path, element, encoding) if not element.lists else _skip_lists(path, element)
    if vertices is None or faces is None:
        raise FormatError(path, "holds no vertices or no faces", "export the part as a mesh again")
    require_finite(path, vertices)
    require_triangles(path, len(faces))
    if faces.min() < 0 or faces.max() >= len(vertices):
        raise FormatError(path, "a face names a vertex that is not there", "export the part again")
    return Mesh(vertices, faces.astype(np.int32)), len(faces)


def _header(file: BinaryIO | IO[bytes], path: object) -> tuple[str, list[_Element]]:
    encoding, elements = "", list[_Element]()
    for _ in range(1000):
        words = file.readline(4096).decode("latin-1").split()
        match words:
            case ["ply"] | ["comment" | "obj_info", *_]:
                pass
            case ["format", kind, _]:
                encoding = kind
            case ["element", name, count] if count.isdecimal() and len(count) < 19:
                elements.append(_Element(name, int(count)))
            case ["property", "list", of_count, of_item, name] if elements and {of_count, of_item} <= _TYPES.keys():
                elements[-1].lists.append((name, _TYPES[of_count], _TYPES[of_item]))
            case ["property", kind, name] if elements and kind in _TYPES:
                elements[-1].scalars.append((name, _TYPES[kind]))
            case ["end_header"]:
                if encoding in ("ascii", "binary_little_endian", "binary_big_endian"):
                    return encoding, elements
                break
            case _:
                break
    raise FormatError(path, "its PLY header cannot be understood", "export the part again")


def _require_room(path: object, element: _Element, encoding: str, size: int) -> None:
    """A count that cannot fit in the file is refused before memory is taken."""
    per_row = 2 * (len(element.scalars) + len(element.lists)) if encoding == "ascii" else sum(
        np.dtype(kind).itemsize for _, kind in element.scalars
    ) + sum(np.dtype(of_count).itemsize for _, of_count, _ in element.lists)  # fmt: skip
    if element.count * max(per_row, 1) > size + 2:
        raise FormatError(
            path,
            f"its header promises {element.count:,} of '{element.name}', more than the file can hold",
            "the file is cut off or damaged; copy or export it again",
        )


def _ended_early(path: object, element: _Element) -> FormatError:
    return FormatError(path, f"ends before its last '{element.name}'", "copy or export it again")


def _rows(file: BinaryIO | IO[bytes], path: object, element: _Element, encoding: str) -> AnyArray:
    """(count,) structured rows of an element of plain numbers."""
    if encoding == "ascii":
        lines = [file.readline().split() for _ in range(element.count)]
        try:
            table = np.array(lines, dtype=np.float64).reshape(element.count, -1)
            columns = {name: table[:, place] for place, (name, _) in enumerate(element.scalars)}
            rows = np.zeros(element.count, [(name, "f8") for name in columns])
            for name, column in columns.items():
                rows[name] = column
            return rows
        except ValueError:
            raise _ended_early(path, element) from None
    order = "<" if encoding == "binary_little_endian" else ">"
    kind = np.dtype([(name, order + form) for name, form in element.scalars])
    raw = file.read(kind.itemsize * element.count)
    if len(raw) < kind.itemsize * element.count:
        raise _ended_early(path, element)
    return np.frombuffer(raw, kind)


def _vertices(file: BinaryIO | IO[bytes], path: object, element: _Element, encoding: str) -> Floats:
    if element.lists or not {"x", "y", "z"} <= {name for name, _ in element.scalars}:
        raise FormatError(path, "its vertices have no x, y and z", "export the part again")
    rows = _rows(file, path, element, encoding)
    return np.stack([np.asarray(rows[axis], np.float64) for axis in "xyz"], axis=1)


def _faces(file: BinaryIO | IO[bytes], path: object, element: _Element, encoding: str) -> Longs:
    if len(element.lists) != 1 or element.scalars or "f" in element.lists[0][1][0] + element.lists[0][2][0]:
        _skip_lists(path, element)
    if encoding == "ascii":
        return _fans([_corners(file.readline().split(), path, element) for _ in range(element.count)])
    order = "<" if encoding == "binary_little_endian" else ">"
    _, of_count, of_item = element.lists[0]
    triangle = np.dtype([("n", order + of_count), ("v", order + of_item, 3)])
    raw = file.read()
    if len(raw) >= triangle.itemsize * element.count:
        rows = np.frombuffer(raw, triangle, element.count)
        if (rows["n"] == 3).all():
            return rows["v"].astype(np.int64)
    return _fans(_polygons(raw, path, element, order))


def _corners(words: list[bytes], path: object, element: _Element) -> list[int]:
    """The corners in one line of text."""
    try:
        numbers = [int(word) for word in words]
    except ValueError:
        raise FormatError(path, f"a '{element.name}' in it is no number", "export the part again") from None
    if not numbers or not 0 <= numbers[0] < len(numbers):
        raise _ended_early(path, element)
    return numbers[1 : numbers[0] + 1]


def _polygons(raw: bytes, path: object, element: _Element, order: str) -> list[list[int]]:
    _, of_count, of_item = element.lists[0]
    counts, items = np.dtype(order + of_count), np.dtype(order + of_item)
    place, polygons = 0, []
    for _ in range(element.count):
        if place + counts.itemsize > len(raw):
            raise _ended_early(path, element)
        corners = int(np.frombuffer(raw, counts, 1, place)[0])
        place += counts.itemsize
        if corners < 0 or place + corners * items.itemsize > len(raw):
            raise _ended_early(path, element)
        polygons.append([int(n) for n in np.frombuffer(raw, items, corners, place)])
        place += corners * items.itemsize
    return polygons


def _fans(polygons: list[list[int]]) -> Longs:
    fans = [(p[0], p[i], p[i + 1]) for p in polygons for i in range(1, len(p) - 1)]
    return np.array(fans, dtype=np.int64).reshape(-1, 3)


def _skip_lists(path: object, element: _Element) -> None:
    raise FormatError(path, f"its '{element.name}' has a layout that is not read", "export with plain faces only")


def write(file: IO[bytes], bodies: list[Named]) -> None:
    """Write all bodies as one binary PLY."""
    file.write(ply_bytes(join([body.mesh for body in bodies])))


def ply_bytes(mesh: Mesh) -> bytes:
    """One mesh as binary PLY: double coordinates, so that nothing is lost."""
    header = (
        "ply\nformat binary_little_endian 1.0\ncomment Lean Trellis, mm\n"
        f"element vertex {len(mesh.vertices)}\nproperty double x\nproperty double y\nproperty double z\n"
        f"element face {len(mesh.faces)}\nproperty list uchar int vertex_indices\nend_header\n"
    )
    rows = np.zeros(len(mesh.faces), np.dtype([("n", "u1"), ("v", "<i4", 3)]))
    rows["n"], rows["v"] = 3, mesh.faces
    return header.encode() + mesh.vertices.astype("<f8").tobytes() + rows.tobytes()
