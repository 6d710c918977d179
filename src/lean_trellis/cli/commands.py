"""The commands as they are typed: their names, arguments and help. What a command needs is imported when it runs."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from lean_trellis.cli.arguments import (
    CriticalOption,
    FilesArgument,
    FirstLayerOption,
    JobArgument,
    JsonOption,
    KeepOption,
    LayerOption,
    MachineOption,
    MaterialOption,
    ModeOption,
    OffsetOption,
    RotateOption,
    SupportEveryOption,
    UnitsOption,
    WatchOption,
)
from lean_trellis.cli.builds_commands import register_builds
from lean_trellis.cli.release_commands import register_release
from lean_trellis.cli.shop_commands import register_shop


def register(app: typer.Typer) -> None:
    """Add all commands."""
    for command in (
        inspect, overhangs, layers, prepare, check, estimate, paths, trials, updates, export, machines, materials,
    ):  # fmt: skip
        app.command(command.__name__)(command)
    register_release(app)
    register_builds(app)
    register_shop(app)


def inspect(files: FilesArgument, units: UnitsOption = "mm", as_json: JsonOption = False) -> None:
    """Describe the meshes in files, and whether they are sound."""
    from lean_trellis.cli.meshes import inspect as run

    run(files, units, as_json)


def overhangs(
    file: Annotated[Path, typer.Argument(help="A mesh file.", metavar="FILE")],
    critical_angle: Annotated[float, typer.Option("--critical-angle", help="Surface angle in degrees.")],
    watch_angle: WatchOption = None,
    machine: MachineOption = None,
    material: MaterialOption = None,
    units: UnitsOption = "mm",
    rotate: RotateOption = (0.0, 0.0, 0.0),
    build_offset: OffsetOption = 0.0,
    keep_position: KeepOption = False,
    layer_height: LayerOption = None,
    table: Annotated[Path | None, typer.Option("--csv", help="Write the regions as a table to this file.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Find what needs support: regions, low edges and points, islands.

    With a material, self-supporting regions are listed with the reason; no area is left out of the sums.
    """
    from lean_trellis.cli.look import overhangs as run

    run(file, critical_angle, watch_angle, machine, material, units, rotate, build_offset, keep_position, layer_height,
        table, as_json)  # fmt: skip


def layers(
    path: Annotated[Path, typer.Argument(help="A mesh file or a job file.", metavar="FILE_OR_JOB")],
    layer_height: LayerOption = None,
    machine: MachineOption = None,
    material: MaterialOption = None,
    units: UnitsOption = "mm",
    rotate: RotateOption = (0.0, 0.0, 0.0),
    build_offset: OffsetOption = 0.0,
    keep_position: KeepOption = False,
    first_layer: FirstLayerOption = None,
    support_every: SupportEveryOption = None,
    as_json: JsonOption = False,
) -> None:
    """Cut parts and supports into layers: the area of each, and the gaps that were closed.

    A job is cut as it is, at its own layer height without `--layer-height`.
    """
    from lean_trellis.cli.layers import layers as run

    run(path, layer_height, machine, material, units, rotate, build_offset, keep_position, first_layer, support_every,
        as_json)  # fmt: skip


def prepare(
    files: FilesArgument,
    out: Annotated[Path, typer.Option("-o", "--out", help="The job file to write.")],
    sets: Annotated[list[str] | None, typer.Option("--set", help="Parameter set by name; may repeat.")] = None,
    recipe: Annotated[str | None, typer.Option("--recipe", help="Recipe by name.")] = None,
    parameters: Annotated[list[str] | None, typer.Option("--param", help="KEY=VALUE over the set's values.")] = None,
    machine: MachineOption = None,
    material: MaterialOption = None,
    critical_angle: CriticalOption = None,
    watch_angle: WatchOption = None,
    units: UnitsOption = "mm",
    rotate: RotateOption = (0.0, 0.0, 0.0),
    build_offset: OffsetOption = None,
    keep_position: KeepOption = False,
    layer_height: LayerOption = None,
    first_layer: FirstLayerOption = None,
    support_every: SupportEveryOption = None,
    mode: ModeOption = None,
    as_json: JsonOption = False,
) -> None:
    """Read parts, pose and lift them, find overhangs, make supports, write a job."""
    from lean_trellis.cli.build import prepare as run
    from lean_trellis.cli.options import LayerWish

    layers = LayerWish(layer_height, first_layer, support_every, mode)
    run(files, out, sets, recipe, parameters, machine, material, critical_angle, watch_angle, units, rotate,
        build_offset, keep_position, layers, as_json)  # fmt: skip


def check(path: JobArgument, as_json: JsonOption = False) -> None:
    """Check everything in a shared build; exit 1 when it is not releasable."""
    from lean_trellis.cli.build import check as run

    run(path, as_json)


def estimate(path: JobArgument, as_json: JsonOption = False) -> None:
    """What a build takes: time, material, cost; by cause and by body."""
    from lean_trellis.cli.estimate import estimate as run

    run(path, as_json)


def paths(
    path: JobArgument,
    part: Annotated[str, typer.Option("--part", help="The part that gets values of its own.")] = "",
    low: Annotated[float | None, typer.Option("--from", help="From this height on, mm above its lowest place.")] = None,
    high: Annotated[float | None, typer.Option("--to", help="Up to this height, mm.")] = None,
    at: Annotated[
        tuple[float, float, float] | None,
        typer.Option("--at", help="Of the one outline there: x y z, mm from its middle and its lowest place."),
    ] = None,
    path_width: Annotated[float | None, typer.Option("--path-width", help="Width of beads, mm.")] = None,
    loops: Annotated[int | None, typer.Option("--loops", help="How many loops along outlines.")] = None,
    fill_share: Annotated[float | None, typer.Option("--fill-share", help="Share that is filled, 0 to 1.")] = None,
    clear: Annotated[bool, typer.Option("--clear", help="Lay the part as its material says again.")] = False,
    as_json: JsonOption = False,
) -> None:
    """List values of paths that parts have of their own; with --part and values, add them and save the job."""
    from lean_trellis.cli.paths import paths as run
    from lean_trellis.core.parts.path_values import PathValues

    run(path, part, PathValues(low, high, at, path_width, loops, fill_share), clears=clear, as_json=as_json)


def trials(
    words: Annotated[
        list[str], typer.Argument(help="A job file; or: keep, a job file, a name.", metavar="[keep] JOB [NAME]")
    ],
    sets: Annotated[list[str] | None, typer.Option("--set", help="Parameter set by name; may repeat.")] = None,
    recipe: Annotated[str | None, typer.Option("--recipe", help="Recipe by name.")] = None,
    parameters: Annotated[list[str] | None, typer.Option("--param", help="KEY=VALUE over the set's values.")] = None,
    build_offset: OffsetOption = None,
    critical_angle: CriticalOption = None,
    watch_angle: WatchOption = None,
    layer_height: LayerOption = None,
    first_layer: FirstLayerOption = None,
    support_every: SupportEveryOption = None,
    mode: ModeOption = None,
    as_json: JsonOption = False,
) -> None:
    """Compare the kept states of a job; `trials keep JOB NAME` keeps one.

    With sets or a recipe the parts are supported anew for the trial; the job itself stays as it is.
    """
    from lean_trellis.cli.build import wish_of
    from lean_trellis.cli.options import LayerWish
    from lean_trellis.cli.trials import trials as run

    layers = LayerWish(layer_height, first_layer, support_every, mode)
    run(words, wish_of(sets, recipe, parameters), build_offset, critical_angle, watch_angle, layers, as_json)


def updates(
    path: JobArgument,
    take: Annotated[bool, typer.Option("--take", help="Use the newer values, and save the job to --out.")] = False,
    out: Annotated[
        Path | None, typer.Option("-o", "--out", help="Where the job is saved; default: over itself.")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """List values that are newer in the library than in a job; with --take, use them."""
    from lean_trellis.cli.build import updates as run

    run(path, take, out, as_json)


def export(
    path: JobArgument,
    out: Annotated[Path, typer.Option("-o", "--out", help="A file (--merged) or a folder (--separate).")],
    file_format: Annotated[
        str | None, typer.Option("--format", help="stl, 3mf, amf, ply, obj or layers; default: by the name.")
    ] = None,
    what: Annotated[str, typer.Option("--what", help="parts, supports or all.")] = "all",
    separate: Annotated[bool, typer.Option("--separate/--merged", help="One file a body, or one file.")] = False,
    each_bar: Annotated[bool, typer.Option("--each-bar", help="Every bar as a body of its own.")] = False,
    beams: Annotated[bool, typer.Option("--beams", help="Bars as a beam lattice (3mf only).")] = False,
    as_text: Annotated[bool, typer.Option("--text", help="Layers of a powder bed as text.")] = False,
    smooths: Annotated[bool, typer.Option("--smooth", help="Masks with smoothed edges.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Write parts and supports to open formats, or layers as the machine takes them (--format layers).

    Layers: CLI for a powder bed, masks for a vat, G-code for extrusion; or 3MF with slices, by the name of the file.
    """
    from lean_trellis.cli.build import export as run

    run(path, out, file_format, what, separate, each_bar, beams, as_text, smooths, as_json)


def machines(as_json: JsonOption = False) -> None:
    """List the machines of the library."""
    from lean_trellis.cli.library import machines as run

    run(as_json)


def materials(as_json: JsonOption = False) -> None:
    """List the materials of the library."""
    from lean_trellis.cli.library import materials as run

    run(as_json)
