"""The command `batch`: a recipe over many files."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path

import typer

from lean_trellis.cli.library import known_recipes, known_sets
from lean_trellis.cli.options import choose_shop
from lean_trellis.cli.output import progress, say_json, say_table
from lean_trellis.cli.reading import require_unit
from lean_trellis.core.batch.batch import BatchWish, Row, run_batch
from lean_trellis.core.batch.piece import Order
from lean_trellis.core.errors import EditError
from lean_trellis.core.sets.recipe import find_recipe
from lean_trellis.core.shop import full_library
from lean_trellis.core.shop.machine import Process


def batch(
    recipe_id: str,
    sources: list[Path],
    out: Path,
    machine: str | None,
    material: str | None,
    units: str,
    workers: int,
    scheduler: str,
    resumes: bool,
    as_json: bool,
) -> None:
    """Do the batch; exit 1 where a file failed."""
    if not 0 <= workers <= 256:
        raise EditError("--workers", f"{workers} is no number of processes", "give 1 or more, or 0 for all")
    recipe, sets = find_recipe(known_recipes(), recipe_id), known_sets()
    recipe.require_known(sets)
    process: Process = "powder_bed" if recipe.process == "any" else recipe.process
    shop = choose_shop(full_library(), machine, material, process)
    if not recipe.suits(shop[0].process, shop[1].id):
        raise EditError(recipe.title, f"is not meant for {shop[1].name}", "choose another recipe or material")
    used = {use.set: sets[use.set] for rule in recipe.rules for use in rule.uses}
    order = Order(recipe, used, *shop, require_unit(units))
    with progress() as watch:
        rows = run_batch(BatchWish(order, tuple(sources), out, workers, scheduler, resumes), watch)
    if as_json:
        say_json([_document(row) for row in rows])
    else:
        _say(rows, out)
    raise typer.Exit(0 if all(row.ok for row in rows) else 1)


def _document(row: Row) -> dict[str, object]:
    document = {key: value for key, value in asdict(row).items() if key not in ("figures", "mark")}
    return document | row.figures


def _say(rows: tuple[Row, ...], out: Path) -> None:
    failed = sum(not row.ok for row in rows)
    words = f"{len(rows) - failed} of {len(rows)} files, jobs and table in {out}"
    table = [
        (row.file, row.figures["regions"], row.figures["supports"], row.figures["not_supported"],
         round(row.figures["strength_used"], 2), row.figures["stops"], row.seconds, "")
        if row.ok else (row.file, 0, 0, 0, 0.0, 0, row.seconds, row.reason)
        for row in rows
    ]  # fmt: skip
    columns = ("file", "regions", "supports", "not supported", "utilisation", "stops", "s", "failed because")
    say_table(words, columns, table)
