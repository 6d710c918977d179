"""Two people have saved the same set or recipe: what differs, value by value, and what was taken of each as one."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from pydantic import ValidationError

from lean_trellis.core.errors import EditError
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.sets.recipe import RANGES, Recipe, RecipeDetection, Rule
from lean_trellis.core.sets.recipe_words import action_words, range_words

Key = tuple[str, ...]
_ORDER: Key = ("order",)
_HEAD = {"title": "Name", "note": "Note", "materials": "Materials", "process": "Process"}
_PARTS: dict[str, tuple[str, ...]] = {
    "kinds": ("kinds",),
    **{key: (f"least_{key}", f"most_{key}") for key in RANGES},
    "place": ("place",), "surface": ("surface",), "materials": ("materials",), "processes": ("processes",),
    "gives": ("set", "values", "also", "leave"),
}  # fmt: skip
"""What of a rule goes together, and its fields: a range has two ends, and what is left alone has no set."""


@dataclass(frozen=True)
class Disagreement:
    """One value in which two sets or recipes differ, in words; it `is_mine` where it was changed here."""

    key: Key
    label: str
    mine: str
    theirs: str
    is_mine: bool


def set_differences(mine: ParameterSet, theirs: ParameterSet, base: ParameterSet) -> tuple[Disagreement, ...]:
    """What differs between a set as it was changed here and there, both made from `base`; nothing of other families."""
    model = type(mine.parameters)
    if type(theirs.parameters) is not model or type(base.parameters) is not model:
        return ()
    changed = mine.parameters.differences(base.parameters)
    values = [
        Disagreement(("value", key), model.declared_as(key).label, str(here), str(there), key in changed)
        for key, (here, there) in mine.parameters.differences(theirs.parameters).items()
    ]
    return (*values, *_of_heads(mine, theirs, base))


def merged_set(mine: ParameterSet, theirs: ParameterSet, taken: Collection[Key]) -> ParameterSet:
    """Their set with those values of mine that are `taken`. Raises `ParameterError` where these do not go together."""
    values = {key: getattr(mine.parameters, key) for key in type(mine.parameters).model_fields
              if ("value", key) in taken}  # fmt: skip
    head = {key: getattr(mine, key) for key in _HEAD if (key,) in taken}
    return replace(theirs, parameters=theirs.parameters.with_values(values), **head)


def _of_heads(
    mine: ParameterSet | Recipe, theirs: ParameterSet | Recipe, base: ParameterSet | Recipe
) -> Iterator[Disagreement]:
    for key, label in _HEAD.items():
        here, there, before = (_plain(getattr(one, key)) for one in (mine, theirs, base))
        if here != there:
            yield Disagreement((key,), label, here, there, here != before)


def recipe_differences(
    mine: Recipe, theirs: Recipe, base: Recipe, sets: Mapping[str, ParameterSet] | None = None
) -> tuple[Disagreement, ...]:
    """What differs between a recipe as it was changed here and there, both made from `base`: rules by their names."""
    return tuple(_differences(mine, theirs, base, sets or {}))


def _differences(
    mine: Recipe, theirs: Recipe, base: Recipe, sets: Mapping[str, ParameterSet]
) -> Iterator[Disagreement]:
    yield from _of_heads(mine, theirs, base)
    for key in RecipeDetection.model_fields:
        here, there, before = (_plain(getattr(one.detection, key)) for one in (mine, theirs, base))
        if here != there:
            yield Disagreement(("detection", key), key.replace("_", " ").capitalize(), here, there, here != before)
    rules, others, old = (_by_name(one) for one in (mine, theirs, base))
    for name in dict.fromkeys([*others, *rules]):
        one, other = rules.get(name), others.get(name)
        if one is None or other is None:
            here, there = (_no_rule() if rule is None else action_words(rule, sets) for rule in (one, other))
            yield Disagreement(("rule", name), name, here, there, (one is None) != (name not in old))
            continue
        for part, fields in _PARTS.items():
            if any(getattr(one, field) != getattr(other, field) for field in fields):
                before_rule = old.get(name)
                is_changed = before_rule is None or any(
                    getattr(one, field) != getattr(before_rule, field) for field in fields
                )
                here, there = (_words(rule, part, sets) for rule in (one, other))
                yield Disagreement(("rule", name, part), f"{name}: {part}", here, there, is_changed)
    mine_first, theirs_first, first = (
        ", ".join(name for name in some if name in rules and name in others) for some in (rules, others, old)
    )
    if mine_first != theirs_first:
        yield Disagreement(_ORDER, "Order of rules", mine_first, theirs_first, mine_first != first)


def merged(mine: Recipe, theirs: Recipe, taken: Collection[Key]) -> Recipe:
    """Their recipe with those values of mine that are `taken`. Raises `EditError` where these do not go together."""
    head = {key: getattr(mine, key) for key in _HEAD if (key,) in taken}
    detection = {key: getattr(mine.detection, key)
                 for key in RecipeDetection.model_fields if ("detection", key) in taken}  # fmt: skip
    rules, others = _by_name(mine), _by_name(theirs)
    kept = {name: rule for name, rule in others.items() if name in rules or ("rule", name) not in taken}
    kept |= {name: rule for name, rule in rules.items() if name not in others and ("rule", name) in taken}
    try:
        for name in rules.keys() & others.keys():
            fields = [field for part, some in _PARTS.items() if ("rule", name, part) in taken for field in some]
            values = {field: getattr(rules[name], field) for field in fields}
            kept[name] = Rule.model_validate(others[name].model_dump() | values)
        first, second = (list(rules), list(others)) if _ORDER in taken else (list(others), list(rules))
        ordered = [kept[name] for name in _in_order(first, second) if name in kept]
        own = theirs.model_dump() | head | {"detection": theirs.detection.model_dump() | detection, "rules": ordered}
        return Recipe.model_validate(own)
    except ValidationError as problem:
        why = problem.errors()[0]["msg"].removeprefix("Value error, ")
        raise EditError(theirs.title, f"what is taken does not go together: {why}", "take other values") from None


def _in_order(first: Sequence[str], second: Sequence[str]) -> list[str]:
    """The first's order; what the second has besides stands behind what it stands behind there."""
    order = list(first)
    for place, name in enumerate(second):
        if name not in order:
            before = [one for one in second[:place] if one in order]
            order.insert(order.index(before[-1]) + 1 if before else 0, name)
    return order


def _by_name(recipe: Recipe) -> dict[str, Rule]:
    return {rule.name: rule for rule in recipe.rules}


def _no_rule() -> str:
    return "no such rule"


def _words(rule: Rule, part: str, sets: Mapping[str, ParameterSet]) -> str:
    if part in RANGES:
        ends = getattr(rule, f"least_{part}"), getattr(rule, f"most_{part}")
        return range_words(*ends, RANGES[part][1]) or "any"
    if part == "gives":
        return action_words(rule, sets)
    return _plain(getattr(rule, part))


def _plain(value: Any) -> str:
    if isinstance(value, tuple):
        return ", ".join(str(one) for one in value) or "any"
    return "the material's" if value is None else str(value).replace("_", " ")
