"""How parameter sets and recipes are saved in the shop library."""

from __future__ import annotations

from dataclasses import replace

from lean_trellis.core.sets.parameter_set import ParameterSet, read_set_text, shipped_sets
from lean_trellis.core.sets.recipe import Recipe, read_recipe_text, recipe_text, shipped_recipes
from lean_trellis.core.sets.text import set_text
from lean_trellis.core.shop.saved import Form, Head, Saved, shop_saved


def _head_of_set(one: ParameterSet) -> Head:
    return Head(one.name, one.title, one.version, one.owner, one.note)


def _set_with_head(one: ParameterSet, head: Head) -> ParameterSet:
    return replace(one, name=head.id, title=head.name, version=head.version, owner=head.owner, note=head.note)


def _head_of_recipe(one: Recipe) -> Head:
    return Head(one.id, one.title, one.version, one.owner, one.note)


def _recipe_with_head(one: Recipe, head: Head) -> Recipe:
    changes = {"id": head.id, "title": head.name, "version": head.version, "owner": head.owner, "note": head.note}
    return one.model_copy(update=changes)


SETS: Form[ParameterSet] = Form("set", "set", shipped_sets, _head_of_set, _set_with_head, set_text, read_set_text)
RECIPES: Form[Recipe] = Form(
    "recipe", "recipe", shipped_recipes, _head_of_recipe, _recipe_with_head, recipe_text, read_recipe_text
)


def shop_sets(url: str = "") -> Saved[ParameterSet]:
    """The sets of the shop library at an address, or where it usually is."""
    return shop_saved(SETS, url)


def shop_recipes(url: str = "") -> Saved[Recipe]:
    """The recipes of the shop library at an address, or where it usually is."""
    return shop_saved(RECIPES, url)
