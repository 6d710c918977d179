"""3MF core: units, objects, components with transforms, build items, names; and parts and supports out."""

from __future__ import annotations

import zipfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any

import numpy as np
from lxml import etree

from lean_trellis.core.arrays import Floats
from lean_trellis.core.errors import FormatError
from lean_trellis.core.formats.archives import DAMAGED_ZIP, member, require_harmless
from lean_trellis.core.formats.body import (
    KNOWN_FILES,
    UNIT_MM,
    Beams,
    Body,
    Named,
    require_finite,
    require_triangles,
    text_rows,
)
from lean_trellis.core.formats.xml import Broken, Target, streamed
from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.mesh.weld import weld
from lean_trellis.core.progress import UNWATCHED, Watch

CORE = "http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
LATTICE = "http://schemas.microsoft.com/3dmanufacturing/beamlattice/2017/02"
_START_PART = "http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"
_UNITS = {
    "micron": "micron",
    "millimeter": "mm",
    "centimeter": "cm",
    "inch": "in",
    "foot": "ft",
    "meter": "m",
}
_DEEPEST = 32
_VERTEX = '<vertex x="%.9g" y="%.9g" z="%.9g"/>'
_TRIANGLE = '<triangle v1="%d" v2="%d" v3="%d"/>'


@dataclass
class _ModelObject:
    vertices: list[float] = field(default_factory=list)
    triangles: list[int] = field(default_factory=list)
    components: list[tuple[str, Floats]] = field(default_factory=list)
    name: str = ""


@dataclass
class _Model:
    unit: str = "millimeter"
    objects: dict[str, _ModelObject] = field(default_factory=dict)
    items: list[tuple[str, Floats]] = field(default_factory=list)


def read(path: Path, watch: Watch = UNWATCHED) -> list[Body]:
    """One body a build item, its transform applied, in mm, under the name of its object."""
    watch.at(0.05, f"unpacking {path.name}")
    try:
        with zipfile.ZipFile(path) as archive:
            model = _parse(path, archive, _model_name(path, archive), watch)
    except DAMAGED_ZIP:
        raise FormatError(path, "is a damaged zip archive", "copy or export it again") from None
    try:
        return _bodies(path, model, watch)
    except Broken as problem:
        raise FormatError(path, str(problem), "export it again") from None


def _model_name(path: Path, archive: zipfile.ZipFile) -> str:
    """The part in which the model starts, after the archive has been found harmless."""
    require_harmless(path, archive)
    names = archive.namelist()
    if "_rels/.rels" in names:
        relations = _safe_tree(path, archive.read("_rels/.rels"))
        for relation in relations.iter("{*}Relationship"):
            target = (relation.get("Target") or "").lstrip("/")
            if relation.get("Type") == _START_PART and target in names:
                return target
    models = [name for name in names if name.lower().endswith(".model")]
    if not models:
        raise FormatError(path, "is a zip archive with no 3D model in it", f"give {KNOWN_FILES}")
    return models[0]


def _safe_tree(path: Path, text: bytes) -> Any:
    if b"<!DOCTYPE" in text or b"<!ENTITY" in text:
        raise FormatError(path, "declares XML entities, which 3MF forbids", "do not use this file")
    try:
        return etree.fromstring(text, etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False))
    except etree.XMLSyntaxError as problem:
        raise FormatError(path, f"holds broken XML ({' '.join(problem.msg.split())})", "export it again") from None


class _ModelBuilder(Target):
    """Receives XML events; keeps numbers, never a tree, so memory stays near the size of the mesh."""

    def __init__(self) -> None:
        self.model = _Model()
        self._object = _ModelObject()

    def start(self, tag: str, attributes: Any) -> None:
        name = tag.rpartition("}")[2]
        if name == "vertex":
            self._object.vertices.extend((float(attributes["x"]), float(attributes["y"]), float(attributes["z"])))
        elif name == "triangle":
            self._object.triangles.extend((int(attributes["v1"]), int(attributes["v2"]), int(attributes["v3"])))
        elif name == "object":
            self._object = _ModelObject(name=attributes.get("name", ""))
            self.model.objects[attributes["id"]] = self._object
        elif name == "component":
            self._object.components.append((attributes["objectid"], _matrix(attributes.get("transform"))))
        elif name == "item":
            self.model.items.append((attributes["objectid"], _matrix(attributes.get("transform"))))
        elif name == "model":
            self.model.unit = attributes.get("unit", "millimeter")

    def close(self) -> _Model:
        return self.model


def _matrix(text: str | None) -> Floats:
    """(4, 3): three rows of the linear part (row vectors are multiplied from the left) and the shift."""
    if not text:
        return np.vstack([np.eye(3), np.zeros(3)])
    numbers = np.array([float(word) for word in text.split()])
    if numbers.shape != (12,) or not np.isfinite(numbers).all():
        raise Broken(f"holds a transform that is none ({text[:30]!r})")
    return numbers.reshape(4, 3)


def _parse(path: Path, archive: zipfile.ZipFile, name: str, watch: Watch) -> _Model:
    with archive.open(name) as stream:
        model: _Model = streamed(path, stream, archive.getinfo(name).file_size, _ModelBuilder(), watch)
    return model


def _bodies(path: Path, model: _Model, watch: Watch) -> list[Body]:
    if model.unit not in _UNITS:
        raise Broken(f"names an unknown unit ({model.unit!r})")
    factor = UNIT_MM[_UNITS[model.unit]]
    items = model.items
    total = sum(_triangles(model, object_id, 0) for object_id, _ in items)
    require_triangles(path, total)
    bodies = []
    for number, (object_id, matrix) in enumerate(items):
        watch.at(0.65 + 0.35 * number / len(items), f"welding {path.name}")
        mesh = _mesh(path, model, object_id)
        count = len(mesh.faces)
        name = model.objects[object_id].name or (path.stem if len(items) == 1 else f"{path.stem} {number + 1}")
        bodies.append(Body(name, weld(_applied(mesh, matrix, factor)), count, unit_known=True, unit=_UNITS[model.unit]))
    return [body for body in bodies if body.triangles_read]


def _applied(mesh: Mesh, matrix: Floats, factor: float = 1.0) -> Mesh:
    faces = mesh.faces[:, ::-1] if np.linalg.det(matrix[:3]) < 0 else mesh.faces
    return Mesh((mesh.vertices @ matrix[:3] + matrix[3]) * factor, faces)


def _triangles(model: _Model, object_id: str, depth: int) -> int:
    """How many triangles an object comes to, counted before any are made."""
    if depth > _DEEPEST:
        raise Broken("nests its components too deep, or in a circle")
    if object_id not in model.objects:
        raise Broken(f"refers to an object that is not there (id {object_id})")
    kept = model.objects[object_id]
    own = len(kept.triangles) // 3
    counts = {part: _triangles(model, part, depth + 1) for part in {part for part, _ in kept.components}}
    return own + sum(counts[part] for part, _ in kept.components)


def _mesh(path: Path, model: _Model, object_id: str) -> Mesh:
    kept = model.objects[object_id]
    vertices = np.array(kept.vertices, np.float64).reshape(-1, 3)
    triangles = np.array(kept.triangles, np.int64).reshape(-1, 3)
    require_finite(path, vertices)
    if len(triangles) and (triangles.min() < 0 or triangles.max() >= len(vertices)):
        raise Broken("a triangle names a vertex that is not there")
    pieces = [Mesh(vertices, triangles.astype(np.int32))] if len(triangles) else []
    pieces += [_applied(_mesh(path, model, part), matrix) for part, matrix in kept.components]
    return join(pieces)


CONTENT_TYPES = b"""<?xml version="1.0" encoding="UTF-8"?>
<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types">
<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>
<Default Extension="model" ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/>
</Types>"""
RELATIONS = f"""<?xml version="1.0" encoding="UTF-8"?>
<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">
<Relationship Target="/3D/3dmodel.model" Id="rel0" Type="{_START_PART}"/>
</Relationships>""".encode()


def write(file: IO[bytes], bodies: list[Named]) -> None:
    """Each body as an object of its own: parts of type model, supports of type support.

    Beams are written by the beam lattice extension, in objects of type solidsupport, which is where it allows them.
    """
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as archive:
        archive.writestr(member(archive, "[Content_Types].xml"), CONTENT_TYPES)
        archive.writestr(member(archive, "_rels/.rels"), RELATIONS)
        with archive.open(member(archive, "3D/3dmodel.model"), "w", force_zip64=True) as stream:
            _write_model(stream, bodies)


def _write_model(stream: IO[bytes], bodies: list[Named]) -> None:
    has_beams = any(body.beams is not None for body in bodies)
    lattice = f' xmlns:b="{LATTICE}" requiredextensions="b"' if has_beams else ""
    stream.write(
        f'<?xml version="1.0" encoding="UTF-8"?>\n<model unit="millimeter" xml:lang="en-US" xmlns="{CORE}"{lattice}>\n'
        '<metadata name="Application">Lean Trellis</metadata>\n<resources>\n'.encode()
    )
    for number, body in enumerate(bodies, start=1):
        kind = "model" if body.role == "part" else "support"
        if body.beams is not None:
            _write_lattice(stream, number, quoted(body.name), body.mesh, body.beams)
            continue
        stream.write(f'<object id="{number}" type="{kind}" name={quoted(body.name)}><mesh><vertices>\n'.encode())
        stream.write(text_rows(_VERTEX, body.mesh.vertices))
        stream.write(b"</vertices><triangles>\n")
        stream.write(text_rows(_TRIANGLE, body.mesh.faces))
        stream.write(b"</triangles></mesh></object>\n")
    items = "".join(f'<item objectid="{number}"/>' for number in range(1, len(bodies) + 1))
    stream.write(f"</resources>\n<build>{items}</build>\n</model>\n".encode())


def _write_lattice(stream: IO[bytes], number: int, name: str, mesh: Mesh, beams: Beams) -> None:
    """Vertices of the mesh, then those of the beams, each place once."""
    places, which = np.unique(np.round(beams.places.reshape(-1, 3), 6), axis=0, return_inverse=True)
    ends = which.reshape(-1, 2) + len(mesh.vertices)
    whole = ends[:, 0] != ends[:, 1]
    rows = np.column_stack([ends, beams.radii])[whole]
    stream.write(f'<object id="{number}" type="solidsupport" name={name}><mesh><vertices>\n'.encode())
    stream.write(text_rows(_VERTEX, np.concatenate([mesh.vertices, places])))
    stream.write(b"</vertices>")
    if len(mesh.faces):
        stream.write(b"<triangles>\n" + text_rows(_TRIANGLE, mesh.faces) + b"</triangles>")
    stream.write(
        f'<b:beamlattice radius="{float(beams.radii.max()):.9g}" minlength="0.000001" cap="sphere"><b:beams>\n'.encode()
    )
    stream.write(text_rows('<b:beam v1="%d" v2="%d" r1="%.9g" r2="%.9g"/>', rows))
    stream.write(b"</b:beams></b:beamlattice></mesh></object>\n")


def quoted(name: str) -> str:
    """A name as the value of an attribute, quotation marks included."""
    element = etree.Element("n", name=_xml_safe(name))
    return etree.tostring(element).decode()[len("<n name=") : -len("/>")]


def _xml_safe(text: str) -> str:
    return "".join(letter for letter in text if letter >= " ")
