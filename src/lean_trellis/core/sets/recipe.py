"""Recipes: ordered rules from kind of region to parameter set, so that a part is supported in one step."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from lean_trellis.core.errors import UnknownNameError
from lean_trellis.core.overhang.region import Region, RegionKind
from lean_trellis.core.shop.library import read_model
from lean_trellis.core.shop.machine import Process

SHIPPED = Path(__file__).parent / "shipped_recipes"


class Rule(BaseModel):
    """Which regions get which set. The first rule that fits a region takes it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kinds: tuple[RegionKind, ...] = Field(min_length=1)
    set: str
    least_area: float = Field(0, ge=0, description="mm²; smaller face regions are left to later rules")

    def fits(self, region: Region) -> bool:
        """Whether the rule is for this region."""
        return region.kind in self.kinds and (region.kind != "face" or region.area_mm2 >= self.least_area)


class Recipe(BaseModel):
    """A saved recipe."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    id: str
    title: str
    process: Process
    version: int = Field(ge=1)
    note: str
    rules: tuple[Rule, ...] = Field(min_length=1)

    def assigned(self, regions: tuple[Region, ...]) -> dict[int, list[Region]]:
        """For each rule (by place) the regions it takes; what fits no rule is left out."""
        taken: dict[int, list[Region]] = {}
        for region in regions:
            for place, rule in enumerate(self.rules):
                if rule.fits(region):
                    taken.setdefault(place, []).append(region)
                    break
        return taken


@lru_cache(maxsize=1)
def shipped_recipes() -> dict[str, Recipe]:
    """The recipes that ship with the program, by id."""
    return {path.stem: read_model(path, Recipe) for path in sorted(SHIPPED.glob("*.toml"))}


def usual_set(process: Process) -> str:
    """The set that the first recipe of a process begins with: what is taken when nobody says otherwise."""
    return next(recipe.rules[0].set for recipe in shipped_recipes().values() if recipe.process == process)


def find_recipe(recipes: dict[str, Recipe], name: str) -> Recipe:
    """The recipe of that id; `UnknownNameError` says what comes close."""
    if name not in recipes:
        raise UnknownNameError.among("recipe", name, recipes)
    return recipes[name]
