"""Recipes: detection values and ordered rules, from kind of region to parameter set."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal, Self

import tomlkit
from pydantic import Field, field_validator, model_validator

from lean_trellis.core.errors import LibraryError, ParameterError, UnknownNameError
from lean_trellis.core.overhang.traits import RegionTraits
from lean_trellis.core.sets.parameter_set import MeantFor, ParameterSet, find_set
from lean_trellis.core.shop.frozen import Frozen
from lean_trellis.core.shop.machine import Process
from lean_trellis.core.shop.toml_text import model_of_text, text_of_file
from lean_trellis.core.supports.common.parameters import FamilyParameters

SHIPPED = Path(__file__).parent / "shipped_recipes"
RuleKind = Literal["face", "edge", "point", "island"]
Value = float | int | bool | str
RANGES: Mapping[str, tuple[str, str, str]] = {
    "angle": ("Surface angle", "°", "the smallest surface angle of the region"),
    "area": ("Area", "mm²", "the area of a face region; edges and points have none"),
    "span": ("Span", "mm", "the largest circle that fits into the region, seen from below"),
    "height": ("Height above", "mm", "from the region straight down to what is below, in the middle"),
}
"""The ranges of a rule: what each is called, its unit and what it is measured by."""


class Use(Frozen):
    """A parameter set, and the values that are other than in it."""

    set: str = Field(min_length=1)
    values: dict[str, Value] = Field(default_factory=dict)

    def parameters(self, sets: Mapping[str, ParameterSet]) -> FamilyParameters:
        """The values that a support gets. Raises `UnknownNameError`, `ParameterError` for values that do not fit."""
        return find_set(sets, self.set).parameters.with_values(self.values)


class Rule(Frozen):
    """Which regions get which supports, or are left alone. The first rule that fits a region takes it.

    A region fits when its kind is among `kinds` and all the rest that is said holds; a range without a bound has none.
    `island` stands for regions of any kind in which a piece of the part begins.
    """

    name: str = ""
    kinds: tuple[RuleKind, ...] = Field(("face", "edge", "point"), min_length=1)
    least_angle: float | None = Field(None, ge=0, le=90)
    most_angle: float | None = Field(None, ge=0, le=90)
    least_area: float | None = Field(None, ge=0)
    most_area: float | None = Field(None, ge=0)
    least_span: float | None = Field(None, ge=0)
    most_span: float | None = Field(None, ge=0)
    least_height: float | None = Field(None, ge=0)
    most_height: float | None = Field(None, ge=0)
    place: Literal["any", "inner", "outer"] = "any"
    """`inner`: mostly above the part itself; `outer`: mostly above the plate or another part."""
    surface: Literal["any", "protected", "free"] = "any"
    materials: tuple[str, ...] = ()
    processes: tuple[Process, ...] = ()
    set: str = ""
    values: dict[str, Value] = Field(default_factory=dict)
    also: tuple[Use, ...] = ()
    """Further sets for the same regions, such as a wall on the rim beside the lattice inside."""
    leave: str = ""
    """Why what it takes is left alone; nothing where it gets supports."""

    @model_validator(mode="after")
    def _does_one_thing(self) -> Self:
        if bool(self.set) == bool(self.leave):
            raise ValueError("name a set, or say in leave why the regions are left alone")
        if self.leave and (self.also or self.values):
            raise ValueError("what is left alone gets no sets and no values")
        for key in RANGES:
            least, most = getattr(self, f"least_{key}"), getattr(self, f"most_{key}")
            if least is not None and most is not None and least > most:
                raise ValueError(f"least_{key} must not be above most_{key}")
        return self

    @property
    def uses(self) -> tuple[Use, ...]:
        """Every set that what it takes is supported with, in order."""
        return (Use(set=self.set, values=self.values), *self.also) if self.set else ()

    @property
    def takes_all(self) -> bool:
        """Whether it takes every region, whatever it is like."""
        bounds = (getattr(self, f"{end}_{key}") for key in RANGES for end in ("least", "most"))
        has_all = {"face", "edge", "point"} <= set(self.kinds)
        return has_all and (self.place, self.surface) == ("any", "any") and all(bound is None for bound in bounds)

    def suits(self, process: Process, material: str) -> bool:
        """Whether it is for builds of a process and a material."""
        return (not self.processes or process in self.processes) and (not self.materials or material in self.materials)

    def fits(self, region: RegionTraits) -> bool:
        """Whether it is for this region."""
        if region.kind not in self.kinds and not (region.is_island and "island" in self.kinds):
            return False
        measured = {"angle": region.angle_deg, "area": region.area_mm2, "span": region.span_mm,
                    "height": region.height_mm}  # fmt: skip
        for key, value in measured.items():
            if key in ("area", "span") and region.kind != "face":
                continue
            least, most = getattr(self, f"least_{key}"), getattr(self, f"most_{key}")
            if (least is not None and value < least) or (most is not None and value > most):
                return False
        if self.place != "any" and region.is_inner != (self.place == "inner"):
            return False
        return self.surface == "any" or region.is_protected == (self.surface == "protected")


class RecipeDetection(Frozen):
    """Detection values of a recipe; those that are not said are the material's. Degrees, mm and mm²."""

    critical_angle: float | None = Field(None, ge=0, le=90)
    watch_angle: float | None = Field(None, ge=0, le=90)
    bridge_span: float | None = Field(None, ge=0)
    ledge_limit: float | None = Field(None, ge=0)
    smallest_region: float | None = Field(None, ge=0)


class Recipe(Frozen):
    """A saved recipe. `materials` are those it is meant for: any of its process where none is named."""

    id: str
    title: str = Field(min_length=1)
    process: MeantFor
    materials: tuple[str, ...] = ()
    version: int = Field(1, ge=1)
    owner: str = ""
    note: str = ""
    detection: RecipeDetection = RecipeDetection()
    rules: tuple[Rule, ...] = Field(min_length=1)

    @field_validator("rules")
    @classmethod
    def _names_are_their_own(cls, rules: tuple[Rule, ...]) -> tuple[Rule, ...]:
        """Every rule gets a name, by which supports remember it."""
        taken = [rule.name for rule in rules if rule.name]
        if len(set(taken)) < len(taken):
            raise ValueError("two rules have one name")
        named = []
        for number, rule in enumerate(rules, start=1):
            name = rule.name
            while not name or (not rule.name and name in taken):
                name = f"Rule {number}"
                number += len(rules)
            taken.append(name)
            named.append(rule if rule.name else rule.model_copy(update={"name": name}))
        return tuple(named)

    def suits(self, process: Process, material: str = "") -> bool:
        """Whether it is meant for a process, and for the material if it names some."""
        return self.process in (process, "any") and (not self.materials or not material or material in self.materials)

    def assigned(self, regions: Iterable[RegionTraits], process: Process, material: str) -> RegionsByRule:
        """Which rule takes which region, by their numbers."""
        by_rule: dict[str, list[int]] = {}
        rest = []
        rules = [rule for rule in self.rules if rule.suits(process, material)]
        for region in regions:
            rule = next((rule for rule in rules if rule.fits(region)), None)
            if rule is None:
                rest.append(region.number)
            else:
                by_rule.setdefault(rule.name, []).append(region.number)
        in_order = {rule.name: tuple(by_rule[rule.name]) for rule in self.rules if rule.name in by_rule}
        return RegionsByRule(in_order, tuple(rest))

    def takes_all_alike(self, process: Process, material: str) -> bool:
        """Whether one rule takes every region of such a build, so that nothing has to be known of the regions."""
        rules = [rule for rule in self.rules if rule.suits(process, material)]
        return bool(rules) and rules[0].takes_all and bool(rules[0].set)

    def rule(self, name: str) -> Rule:
        """The rule of a name. Raises `UnknownNameError`."""
        for rule in self.rules:
            if rule.name == name:
                return rule
        raise UnknownNameError.among(f"rule of {self.title}", name, (rule.name for rule in self.rules))

    def require_known(self, sets: Mapping[str, ParameterSet]) -> None:
        """Raise `LibraryError` where a rule names a set or a value that there is none of, or a value out of range."""
        for rule in self.rules:
            for use in rule.uses:
                try:
                    use.parameters(sets)
                except (UnknownNameError, ParameterError) as problem:
                    raise LibraryError(f"{self.title}, {rule.name}", str(problem), "correct that rule") from None


@dataclass(frozen=True)
class RegionsByRule:
    """Regions by the name of the rule that takes them, in the order of the rules; and those that none takes."""

    by_rule: Mapping[str, tuple[int, ...]]
    rest: tuple[int, ...]


def read_recipe_text(text: str, name: str, where: str | Path) -> Recipe:
    """The recipe of a text. Raises `LibraryError` that names where it is from, the key and the line."""
    return model_of_text(text, Recipe, where, id=name)


def read_recipe_file(path: Path) -> Recipe:
    """The recipe of a file, with its name as id. Raises `AccessError`, or `LibraryError` with line and key."""
    return read_recipe_text(text_of_file(path), path.stem, path)


def recipe_text(kept: Recipe) -> str:
    """The recipe as TOML, with what each condition means beside it; what is not said is left out."""
    text = tomlkit.document()
    for key in ("title", "process", "materials", "version", "owner", "note"):
        value = getattr(kept, key)
        if value not in ((), "") or key in ("owner", "note"):
            text.add(key, tomlkit.item(list(value) if isinstance(value, tuple) else value))
    detection = _said(kept.detection.model_dump())
    if detection:
        table = tomlkit.table()
        table.comment("how regions are found; what is not said is the material's")
        for key, value in detection.items():
            table.add(key, value)
        text.add("detection", table)
    rules = tomlkit.aot()
    for rule in kept.rules:
        rules.append(_rule_table(rule))
    text.add("rules", rules)
    return tomlkit.dumps(text)


def _rule_table(rule: Rule) -> tomlkit.items.Table:
    table = tomlkit.table()
    for key, value in _said(rule.model_dump(exclude={"values", "also"})).items():
        written = tomlkit.item(list(value) if isinstance(value, tuple) else value)
        measure = RANGES.get(key.removeprefix("least_").removeprefix("most_"))
        if measure is not None:
            written.comment(f"{measure[1]}  {measure[2]}")
        table.add(key, written)
    if rule.values:
        table.add("values", _inline(rule.values))
    if rule.also:
        further = tomlkit.aot()
        for use in rule.also:
            one = tomlkit.table()
            one.add("set", use.set)
            if use.values:
                one.add("values", _inline(use.values))
            further.append(one)
        table.add("also", further)
    return table


def _inline(values: Mapping[str, Value]) -> tomlkit.items.InlineTable:
    table = tomlkit.inline_table()
    table.update(values)
    return table


def _said(values: Mapping[str, Any]) -> dict[str, Any]:
    """What is other than where nothing is said."""
    unsaid: tuple[Any, ...] = (None, "", (), "any")
    return {key: value for key, value in values.items() if value not in unsaid}


@lru_cache(maxsize=1)
def shipped_recipes() -> dict[str, Recipe]:
    """The recipes that ship with the program, by id."""
    return {path.stem: read_recipe_file(path) for path in sorted(SHIPPED.glob("*.toml"))}


def usual_set(process: Process) -> str:
    """The set that the first recipe of a process begins with: what is taken when nobody says otherwise."""
    return next(recipe.rules[0].set for recipe in shipped_recipes().values() if recipe.process == process)


def usual_recipe(recipes: Mapping[str, Recipe], process: Process, material: str) -> Recipe | None:
    """The recipe that is offered first: one that names the material, the shop's own before those that ship."""
    suited = [one for one in recipes.values() if one.suits(process, material)]
    shipped = shipped_recipes()
    return min(suited, key=lambda one: (not one.materials, one.id in shipped, one.process == "any"), default=None)


def find_recipe(recipes: Mapping[str, Recipe], name: str) -> Recipe:
    """The recipe of that id; `UnknownNameError` says what comes close."""
    if name not in recipes:
        raise UnknownNameError.among("recipe", name, recipes)
    return recipes[name]
