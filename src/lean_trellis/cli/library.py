"""Commands on what the shop has: `machines`, `materials`, `sets`, `recipes`."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from lean_trellis.cli.output import say_json, say_table, say_warning
from lean_trellis.core.atomic import written_whole
from lean_trellis.core.errors import LibraryError
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.sets.parameter_set import find_set
from lean_trellis.core.sets.recipe import find_recipe, shipped_recipes
from lean_trellis.core.sets.saved import SavedSets, shop_sets
from lean_trellis.core.sets.text import read_set_file, set_text
from lean_trellis.core.shop import full_library, own_problems


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
    return dict(_read_sets().every())


def _read_sets() -> SavedSets:
    sets = shop_sets()
    sets.look()
    for problem in (*([sets.problem] if sets.problem else []), *sets.faults):
        say_warning(f"passed over: {problem}")
    return sets


def export_sets(names: list[str], out: Path | None, as_json: bool) -> None:
    """Write sets as TOML: one to a file, several to a folder."""
    known, folder = known_sets(), out or Path.cwd()
    chosen = [find_set(known, name) for name in names] or list(known.values())
    files = []
    for kept in chosen:
        path = folder if folder.suffix == ".toml" and len(chosen) == 1 else folder / f"{kept.name}.toml"
        path.parent.mkdir(parents=True, exist_ok=True)
        with written_whole(path) as file:
            file.write(set_text(kept).encode())
        files.append(str(path))
    if as_json:
        say_json({"files": files})
        return
    say_table("Written", ("file",), [(file,) for file in files])


def import_sets(files: list[Path], why: str, as_json: bool) -> None:
    """Take sets from TOML files into the shop library: new ones, or the next version of those that are there."""
    sets, documents = _read_sets(), []
    for path in files:
        read = read_set_file(path)
        documents.append(_set_document(sets.take_in(read, why=why or f"from {path.name}")))
    if as_json:
        say_json(documents)
        return
    rows = [(one["name"], one["title"], one["version"]) for one in documents]
    say_table("Taken in", ("name", "title", "version"), rows)


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


def list_recipes(as_json: bool) -> None:
    """List the recipes."""
    known = shipped_recipes().values()
    if as_json:
        say_json([recipe.model_dump() for recipe in known])
        return
    say_table(
        "Recipes",
        ("name", "title", "process", "rules"),
        [(r.id, r.title, r.process, len(r.rules)) for r in known],
    )


def show_recipe(name: str, as_json: bool) -> None:
    """Show one recipe with its rules."""
    recipe = find_recipe(shipped_recipes(), name)
    if as_json:
        say_json(recipe.model_dump())
        return
    rows = [(", ".join(rule.kinds), rule.least_area, rule.set) for rule in recipe.rules]
    say_table(f"{recipe.title}: {recipe.note}", ("kinds", "from mm²", "set"), rows)
