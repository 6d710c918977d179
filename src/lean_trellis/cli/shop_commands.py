"""Commands on what a shop has saved, as they are typed: sets, recipes, coupons, batches."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

from lean_trellis.cli.arguments import JsonOption, MachineOption, MaterialOption, NameArgument, UnitsOption

COUPONS = ("angles", "bridges", "ledges", "tips", "cantilever", "peel", "scale")
"""Kinds of coupons, each a command of its own; the core knows what they are."""
OutcomesArgument = Annotated[Path, typer.Argument(help="What came out, as JSON.", metavar="RESULTS.json")]


def register_shop(app: typer.Typer) -> None:
    """Add the commands."""
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
    coupons = typer.Typer(help="Test parts made by code, and what comes of them.", no_args_is_help=True)
    for kind in COUPONS:
        coupons.command(kind, help=f"Make the coupon '{kind}'.")(_coupon_of(kind))
    coupons.command("fit")(fit_coupon)
    coupons.command("list")(list_coupons)
    app.add_typer(coupons, name="coupon")
    app.command("batch")(batch)


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


def list_coupons(as_json: JsonOption = False) -> None:
    """List the kinds of coupons."""
    from lean_trellis.cli.coupons import list_coupons as run

    run(as_json)


def _coupon_of(kind: str) -> Callable[..., None]:
    """The command that makes coupons of one kind."""

    def make(
        out: Annotated[Path, typer.Option("-o", "--out", help="The mesh file, .stl or .3mf for example.")],
        material: MaterialOption = None,
        outcomes: Annotated[Path | None, typer.Option(help="Write a file of outcomes to be filled in.")] = None,
        as_json: JsonOption = False,
    ) -> None:
        from lean_trellis.cli.coupons import make_coupon as run

        run(kind, out, material, outcomes, as_json)

    return make


def fit_coupon(
    kind: Annotated[str, typer.Argument(help=f"One of {', '.join(COUPONS)}.", metavar="KIND")],
    results: OutcomesArgument,
    material: MaterialOption = None,
    save: Annotated[str | None, typer.Option(help="Keep the values as a material of your own with this name.")] = None,
    lot: Annotated[str, typer.Option(help="The lot that was built with.")] = "",
    machine: MachineOption = None,
    date: Annotated[str, typer.Option(help="When it was built.")] = "",
    as_json: JsonOption = False,
) -> None:
    """Values of a material from what came out of built coupons, with their uncertainty."""
    from lean_trellis.cli.coupons import fit_coupon as run

    run(kind, results, material, save, lot, machine or "", date, as_json)


def batch(
    recipe: Annotated[str, typer.Argument(help="Recipe by name.", metavar="RECIPE")],
    files: Annotated[
        list[Path], typer.Argument(help="Mesh or job files, or folders of them.", metavar="FILE_OR_FOLDER...")
    ],
    out: Annotated[Path, typer.Option("-o", "--out", help="The folder for jobs and the table of results.")],
    machine: MachineOption = None,
    material: MaterialOption = None,
    units: UnitsOption = "mm",
    workers: Annotated[int, typer.Option(help="How many at once; 0: one for each processor.")] = 0,
    scheduler: Annotated[str, typer.Option(help="A cluster's scheduler, tcp://HOST:PORT.")] = "",
    resume: Annotated[bool, typer.Option("--resume", help="Pass over what is done already.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Support many files by a recipe, a job each; goes on where one fails."""
    from lean_trellis.cli.batch import batch as run

    run(recipe, files, out, machine, material, units, workers, scheduler, resume, as_json)
