"""Options that several commands share, and what they come to: machine, material, bodies, pose."""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import typer

from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body, read_bodies
from lean_trellis.core.formats.body import UNIT_MM
from lean_trellis.core.parts.pose import Pose, rotation_xyz
from lean_trellis.core.progress import Stretch, Watch
from lean_trellis.core.shop.library import Library
from lean_trellis.core.shop.machine import Machine, Process
from lean_trellis.core.shop.material import Material

FilesArgument = Annotated[
    list[Path], typer.Argument(help="STL, 3MF, OBJ, PLY, AMF, OFF or STEP files.", metavar="FILE...")
]
JsonOption = Annotated[bool, typer.Option("--json", help="Print one JSON document.")]
MachineOption = Annotated[str | None, typer.Option("--machine", help="Machine by id (see 'machines').")]
MaterialOption = Annotated[str | None, typer.Option("--material", help="Material by id (see 'materials').")]
UnitsOption = Annotated[str, typer.Option("--units", help="Unit of files that carry none: mm, cm, m or in.")]
RotateOption = Annotated[
    tuple[float, float, float],
    typer.Option("--rotate", help="Degrees about X, then Y, then Z.", metavar="RX RY RZ"),
]
OffsetOption = Annotated[
    float | None, typer.Option("--build-offset", help="Height of the lowest point above the plate, mm.")
]
KeepOption = Annotated[bool, typer.Option("--keep-position", help="Leave x and y as read.")]
CriticalOption = Annotated[float | None, typer.Option("--critical-angle", help="Degrees; default: the material's.")]
WatchOption = Annotated[float | None, typer.Option("--watch-angle", help="Degrees; default: the material's.")]
LayerOption = Annotated[float | None, typer.Option("--layer-height", help="mm; default: the material's usual one.")]


def require_unit(unit: str) -> str:
    """The unit, when files may carry it."""
    if unit not in UNIT_MM:
        raise EditError("--units", f"{unit!r} is no unit known here", "give mm, cm, m or in")
    return unit


def require_angle(name: str, angle: float | None) -> float | None:
    """The angle, when it is a surface angle."""
    if angle is not None and not 0 <= angle <= 90:
        raise EditError(name, f"{angle:g} is no surface angle", "give 0 to 90")
    return angle


def require_offset(offset: float | None) -> float | None:
    """The build offset, when it is not below the plate."""
    if offset is not None and not 0 <= offset < 10_000:
        raise EditError("--build-offset", f"{offset:g} mm is not above the plate", "give 0 or more")
    return offset


@dataclass(frozen=True)
class Read:
    """Bodies with the file each came from, and the seconds it took."""

    bodies: tuple[tuple[Path, Body], ...]
    seconds: float


def read_files(files: list[Path], units: str, watch: Watch) -> Read:
    """Read every file; the first bad one ends it with its error."""
    begin = time.perf_counter()
    unit = require_unit(units)
    bodies = []
    for number, file in enumerate(files):
        stretch = Stretch(watch, number / len(files), (number + 1) / len(files))
        bodies += [(file, body) for body in read_bodies(file, unit=unit, watch=stretch)]
    return Read(tuple(bodies), time.perf_counter() - begin)


def posed(rotate: tuple[float, float, float], build_offset: float, x: float, y: float) -> Pose:
    """The pose asked for, the part's middle at x, y."""
    return Pose(x=x, y=y, build_offset=build_offset).turned(rotation_xyz(*rotate))


_USUAL = {
    "powder_bed": ("metal-260", "steel-316l"),
    "vat": ("vat-150", "resin-model"),
    "extrusion": ("filament-320", "pla"),
}


def choose_shop(
    library: Library, machine: str | None, material: str | None, process: Process = "powder_bed"
) -> tuple[Machine, Material]:
    """Machine and material by id; what is not named follows from the other, else from the `process`."""
    if material is not None and machine is None:
        chosen = library.material(material)
        return library.machine(_USUAL[chosen.process][0]), chosen
    built_on = library.machine(machine or _USUAL[process][0])
    if material is None:
        return built_on, library.material(_USUAL[built_on.process][1])
    chosen = library.material(material)
    if chosen.process != built_on.process:
        raise EditError(material, f"cannot be built on {built_on.id}", "choose a material of its process")
    return built_on, chosen
