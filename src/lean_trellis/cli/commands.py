"""The commands as they are typed: their names, arguments and help. What a command needs is imported when it runs."""

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


def register(app: typer.Typer) -> None:
    """Add all commands."""
    for command in (inspect, overhangs, layers, prepare, check, estimate, trials, updates, export, machines, materials):
        app.command(command.__name__)(command)
    sets = typer.Typer(help="Saved parameter sets.", no_args_is_help=True)
    sets.command("list")(list_sets)
    sets.command("show")(show_set)
    sets.command("export")(export_sets)
    sets.command("import")(import_sets)
    sets.command("compare")(compare_sets)
    app.add_typer(sets, name="sets")
    recipes = typer.Typer(help="Saved recipes.", no_args_is_help=True)
    recipes.command("list")(list_recipes)
    recipes.command("show")(show_recipe)
    recipes.command("export")(export_recipes)
    recipes.command("import")(import_recipes)
    app.add_typer(recipes, name="recipes")


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


def list_sets(as_json: JsonOption = False) -> None:
    """List the parameter sets."""
    from lean_trellis.cli.library import list_sets as run

    run(as_json)


def show_set(name: NameArgument, as_json: JsonOption = False) -> None:
    """Show one parameter set with all its values."""
    from lean_trellis.cli.library import show_set as run

    run(name, as_json)


def export_sets(
    names: Annotated[list[str] | None, typer.Argument(help="Sets by name; all without.")] = None,
    out: Annotated[Path | None, typer.Option("-o", "--out", help="A folder, or for one set a .toml file.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Write parameter sets as TOML, with what each value means beside it."""
    from lean_trellis.cli.library import export_sets as run

    run(names or [], out, as_json)


def import_sets(
    files: Annotated[list[Path], typer.Argument(help="Parameter sets as TOML.")],
    why: Annotated[str, typer.Option(help="What was changed and what for; kept in the history.")] = "",
    as_json: JsonOption = False,
) -> None:
    """Take parameter sets into the shop library: new ones, or the next version of those that are there."""
    from lean_trellis.cli.library import import_sets as run

    run(files, why, as_json)


def compare_sets(
    name: NameArgument, other: Annotated[str, typer.Argument(help="The set to compare with.")],
    as_json: JsonOption = False,
) -> None:  # fmt: skip
    """Show the values in which two parameter sets differ."""
    from lean_trellis.cli.library import compare_sets as run

    run(name, other, as_json)


def list_recipes(as_json: JsonOption = False) -> None:
    """List the recipes."""
    from lean_trellis.cli.library import list_recipes as run

    run(as_json)


def show_recipe(name: NameArgument, as_json: JsonOption = False) -> None:
    """Show one recipe with its rules."""
    from lean_trellis.cli.library import show_recipe as run

    run(name, as_json)


def export_recipes(
    names: Annotated[list[str] | None, typer.Argument(help="Recipes by name; all without.")] = None,
    out: Annotated[Path | None, typer.Option("-o", "--out", help="A folder, or for one recipe a .toml file.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Write recipes as TOML, with what each condition means beside it."""
    from lean_trellis.cli.library import export_recipes as run

    run(names or [], out, as_json)


def import_recipes(
    files: Annotated[list[Path], typer.Argument(help="Recipes as TOML.")],
    why: Annotated[str, typer.Option(help="What was changed and what for; kept in the history.")] = "",
    as_json: JsonOption = False,
) -> None:
    """Take recipes into the shop library: new ones, or the next version of those that are there."""
    from lean_trellis.cli.library import import_recipes as run

    run(files, why, as_json)
