"""Export of parts and supports to open formats, separate or merged."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Literal

from lean_trellis.core.atomic import written_whole
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.errors import AccessError, EditError
from lean_trellis.core.formats import amf, obj, ply, stl, three_mf
from lean_trellis.core.formats.body import Named
from lean_trellis.core.heavy import heavy
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.parts.stacking import Separator
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.common.spec import ExportWish, spec_of

ExportFormat = Literal["stl", "3mf", "amf", "ply", "obj"]
What = Literal["parts", "supports", "all"]
WRITERS: dict[str, Callable[[IO[bytes], list[Named]], None]] = {
    "stl": stl.write,
    "3mf": three_mf.write,
    "amf": amf.write,
    "ply": ply.write,
    "obj": obj.write,
}
ONE_SOLID = ("stl", "ply")
"""Formats that know no bodies: merged, everything is one solid."""


@dataclass(frozen=True)
class ExportRequest:
    """Where to, in which format, what, and whether in one file (`merged`) or one file a body.

    `each_bar` makes every bar a body of its own, what bars share one more; `as_beams` writes bars to 3MF as a beam
    lattice.
    """

    out: Path
    format: ExportFormat = "stl"
    what: What = "all"
    merged: bool = True
    each_bar: bool = False
    as_beams: bool = False


@heavy
def export_build(state: BuildState, request: ExportRequest, watch: Watch = UNWATCHED) -> tuple[Path, ...]:
    """Write the files and give their paths.

    Merged, STL and PLY hold one solid of everything, so that overlaps count once, and sheets beside it, which bound
    nothing. 3MF, AMF and OBJ keep parts
    and supports as named objects in either case; merged, the bars of each support are united. Raises `EditError` when
    there is nothing to write or the format knows no beams, `AccessError` when the system refuses.
    """
    if request.as_beams and request.format != "3mf":
        raise EditError(request.out, f"{request.format.upper()} knows no beam lattice", "export 3MF, or solids")
    bodies = _bodies(state, request, watch)
    if not bodies:
        raise EditError(request.out, f"there are no {request.what} to export", "add some first")
    write = WRITERS[request.format]
    if request.merged:
        watch.at(0.8, f"writing {request.out.name}")
        with written_whole(request.out) as file:
            write(file, bodies)
        return (request.out,)
    try:
        request.out.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise AccessError.of(request.out, problem, "write") from problem
    written = []
    for number, body in enumerate(bodies):
        path = request.out / f"{_file_name(body.name)}.{request.format}"
        watch.at(0.6 + 0.4 * number / len(bodies), f"writing {path.name}")
        with written_whole(path) as file:
            write(file, [body])
        written.append(path)
    return tuple(written)


def write_bodies(path: Path, bodies: list[Named]) -> None:
    """Write bodies to one file in the format that its name ends in. Raises `EditError` for a name of no such format."""
    chosen = path.suffix.lstrip(".").lower()
    if chosen not in WRITERS:
        raise EditError(path, "is no mesh file by its name", f"let it end in {', '.join(f'.{one}' for one in WRITERS)}")
    with written_whole(path) as file:
        WRITERS[chosen](file, bodies)


def _bodies(state: BuildState, request: ExportRequest, watch: Watch) -> list[Named]:
    bodies = []
    if request.what in ("parts", "all"):
        bodies += [Named(part.part.name, part.overhangs.mesh) for part in state.parts]
    if request.what in ("supports", "all"):
        numbers: dict[str, int] = {}
        for number, carrier in enumerate(state.supports):
            watch.at(0.6 * number / len(state.supports), "uniting supports" if request.merged else "collecting")
            if carrier.structure.is_empty:
                continue
            name = state.name_of(carrier.support.part_id)
            numbers[name] = numbers.get(name, 0) + 1
            wish = ExportWish(united=request.merged, each_element=request.each_bar, as_beams=request.as_beams)
            bodies += spec_of(carrier.support).export(carrier.structure, f"{name} support {numbers[name]}", wish)
        for stack, meshes in state.fillings:
            kind = "separator" if isinstance(stack.filling, Separator) else "spacer"
            name = state.name_of(stack.parts[0])
            bodies += [
                Named(f"{name} {kind} {number}", mesh, "support")
                for number, mesh in enumerate(meshes, start=1)
                if len(mesh.faces)
            ]
    if request.merged and request.format in ONE_SOLID and bodies:
        watch.at(0.6, "uniting everything")
        sheets = [body.mesh for body in bodies if body.is_sheet]
        solids = [body.mesh for body in bodies if not body.is_sheet]
        return [Named(state.job.name, join([united(solids), *sheets]))]
    return bodies


def _file_name(name: str) -> str:
    safe = re.sub(r"[^\w.() -]+", "_", name).strip(" .")
    return safe or "unnamed"
