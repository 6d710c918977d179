"""Commands on what the shop has: `machines`, `materials`, `sets`, `recipes`."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from lean_trellis.cli.output import say_json, say_table, say_warning
from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import AccessError, LibraryError
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.sets.parameter_set import find_set, read_set_file
from lean_trellis.core.sets.recipe import Recipe, find_recipe, read_recipe_file
from lean_trellis.core.sets.recipe_words import action_words, condition_words
from lean_trellis.core.sets.saved import shop_recipes, shop_sets
from lean_trellis.core.shop import full_library, own_problems
from lean_trellis.core.shop.saved import Saved

_Thing = TypeVar("_Thing")


def _warn_of_own() -> None:
    for problem in own_problems():
        say_warning(str(problem))


def machines(as_json: bool) -> None:
    """List the machines of the library."""
    _warn_of_own()
    known = full_library().machines.values()
    if as_json:
        say_json([machine.model_dump() for machine in known])
        return
    rows = [(m.id, m.name, m.process, m.plate.shape, m.plate.width, m.plate.depth, m.height) for m in known]
    say_table("Machines", ("id", "name", "process", "plate", "width mm", "depth mm", "height mm"), rows)


def materials(as_json: bool) -> None:
    """List the materials of the library."""
    _warn_of_own()
    known = full_library().materials.values()
    if as_json:
        say_json([material.model_dump() for material in known])
        return
    rows = [(m.id, m.name, m.process, m.usual_layer_height, m.build_offset, m.detection.critical_angle) for m in known]
    say_table("Materials", ("id", "name", "process", "layer mm", "offset mm", "critical °"), rows)


def known_sets() -> dict[str, ParameterSet]:
    """The sets that ship and those of the shop library; what of it cannot be read is said and passed over."""
    return dict(_as_read(shop_sets()).all)


def known_recipes() -> dict[str, Recipe]:
    """The recipes that ship and those of the shop library; what of it cannot be read is said and passed over."""
    return dict(_as_read(shop_recipes()).all)


def _as_read(saved: Saved[_Thing]) -> Saved[_Thing]:
    saved.look()
    for problem in (*([saved.problem] if saved.problem else []), *saved.faults):
        say_warning(f"passed over: {problem}")
    return saved


def export_sets(names: list[str], out: Path | None, as_json: bool) -> None:
    """Write sets as TOML: one to a file, several to a folder."""
    known = known_sets()
    _export(shop_sets(), [find_set(known, name) for name in names] or list(known.values()), out, as_json)


def export_recipes(names: list[str], out: Path | None, as_json: bool) -> None:
    """Write recipes as TOML: one to a file, several to a folder."""
    known = known_recipes()
    _export(shop_recipes(), [find_recipe(known, name) for name in names] or list(known.values()), out, as_json)


def _export(saved: Saved[_Thing], chosen: list[_Thing], out: Path | None, as_json: bool) -> None:
    folder, files = out or Path.cwd(), []
    for kept in chosen:
        name = saved.form.head(kept).id
        path = folder if folder.suffix == ".toml" and len(chosen) == 1 else folder / f"{name}.toml"
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
        except OSError as problem:
            raise AccessError.of(path, problem, "write") from problem
        with written_whole(path) as file:
            file.write(saved.form.text(kept).encode())
        files.append(str(path))
    if as_json:
        say_json({"files": files})
        return
    say_table("Written", ("file",), [(file,) for file in files])


def import_sets(files: list[Path], why: str, as_json: bool) -> None:
    """Take sets from TOML files into the shop library: new ones, or the next version of those that are there."""
    sets = _as_read(shop_sets())
    read = [read_set_file(path) for path in files]  # all are read before the first is saved
    _say_taken(sets, [sets.take_in(one, why=why or f"from {path.name}") for one, path in zip(read, files, strict=True)],
               _set_document, as_json)  # fmt: skip


def import_recipes(files: list[Path], why: str, as_json: bool) -> None:
    """Take recipes from TOML files into the shop library: new ones, or the next version of those that are there."""
    recipes, sets = _as_read(shop_recipes()), known_sets()
    read = [read_recipe_file(path) for path in files]
    for one in read:
        one.require_known(sets)
    taken = [recipes.take_in(one, why=why or f"from {path.name}") for one, path in zip(read, files, strict=True)]
    _say_taken(recipes, taken, _recipe_document, as_json)


def _say_taken(
    saved: Saved[_Thing], taken: list[_Thing], document: Callable[[_Thing], dict[str, Any]], as_json: bool
) -> None:
    if as_json:
        say_json([document(one) for one in taken])
        return
    heads = [saved.form.head(one) for one in taken]
    say_table("Taken in", ("name", "title", "version"), [(head.id, head.name, head.version) for head in heads])


def compare_sets(name: str, other: str, as_json: bool) -> None:
    """The values in which two sets of one family differ."""
    known = known_sets()
    one, two = find_set(known, name), find_set(known, other)
    if type(one.parameters) is not type(two.parameters):
        words = f"is of another family than {two.name}: {one.family}, {two.family}"
        raise LibraryError(one.name, words, "compare sets of one family")
    differing = one.parameters.differences(two.parameters)
    if as_json:
        say_json({key: {one.name: here, two.name: there} for key, (here, there) in differing.items()})
        return
    rows = [(key, str(here), str(there)) for key, (here, there) in differing.items()]
    say_table("Values that differ", ("key", one.name, two.name), rows)


def _set_document(kept: ParameterSet) -> dict[str, Any]:
    return {
        "name": kept.name,
        "title": kept.title,
        "family": kept.family,
        "version": kept.version,
        "owner": kept.owner,
        "process": kept.process,
        "note": kept.note,
        "parameters": kept.parameters.model_dump(),
    }


def list_sets(as_json: bool) -> None:
    """List the parameter sets."""
    known = known_sets().values()
    if as_json:
        say_json([_set_document(kept) for kept in known])
        return
    say_table("Parameter sets", ("name", "title", "family", "version", "process"),
              [(s.name, s.title, s.family, s.version, s.process) for s in known])  # fmt: skip


def show_set(name: str, as_json: bool) -> None:
    """Show one parameter set with all its values."""
    kept = find_set(known_sets(), name)
    if as_json:
        say_json(_set_document(kept))
        return
    values = kept.parameters.model_dump()
    rows = [(known.key, str(values[known.key]), known.unit, known.label) for known in kept.parameters.declared()]
    say_table(f"{kept.name}, version {kept.version}: {kept.note}", ("key", "value", "unit", "what"), rows)


def _recipe_document(kept: Recipe) -> dict[str, Any]:
    return {"name": kept.id, **kept.model_dump()}


def list_recipes(as_json: bool) -> None:
    """List the recipes."""
    known = known_recipes().values()
    if as_json:
        say_json([_recipe_document(recipe) for recipe in known])
        return
    say_table("Recipes", ("name", "title", "process", "version", "rules"),
              [(r.id, r.title, r.process, r.version, len(r.rules)) for r in known])  # fmt: skip


def show_recipe(name: str, as_json: bool) -> None:
    """Show one recipe with its rules."""
    recipe = find_recipe(known_recipes(), name)
    if as_json:
        say_json(_recipe_document(recipe))
        return
    rows = [(rule.name, condition_words(rule), action_words(rule)) for rule in recipe.rules]
    say_table(f"{recipe.title}, version {recipe.version}: {recipe.note}", ("rule", "takes", "gives"), rows)
