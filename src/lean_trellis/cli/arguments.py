"""What commands take: arguments and options that several of them share."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

FilesArgument = Annotated[
    list[Path], typer.Argument(help="STL, 3MF, OBJ, PLY, AMF, OFF or STEP files.", metavar="FILE...")
]
JobArgument = Annotated[Path, typer.Argument(help="A job file.", metavar="JOB")]
NameArgument = Annotated[str, typer.Argument(help="The name, as 'list' shows it.", metavar="NAME")]
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
FirstLayerOption = Annotated[float | None, typer.Option("--first-layer", help="mm; default: as the others.")]
SupportEveryOption = Annotated[
    int | None, typer.Option("--support-every", help="Build supports at every so many-th layer; default: every one.")
]
ModeOption = Annotated[
    str | None, typer.Option("--mode", help="The material's mode: usual, or one that it offers besides.")
]
