"""Commands on what the shop has: `machines`, `materials`, `sets`, `recipes`."""

from __future__ import annotations

from typing import Any

from lean_trellis.cli.output import say_json, say_table, say_warning
from lean_trellis.core.sets import ParameterSet, shipped_sets
from lean_trellis.core.sets.parameter_set import find_set
from lean_trellis.core.sets.recipe import find_recipe, shipped_recipes
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
    known = shipped_sets().values()
    if as_json:
        say_json([_set_document(kept) for kept in known])
        return
    say_table("Parameter sets", ("name", "title", "family", "version", "process"),
              [(s.name, s.title, s.family, s.version, s.process) for s in known])  # fmt: skip


def show_set(name: str, as_json: bool) -> None:
    """Show one parameter set with all its values."""
    kept = find_set(shipped_sets(), name)
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
