"""Requests to the worker about recipes: applied to parts, and what their rules take."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from lean_trellis.core.batch.batch import BatchWish, Row, run_batch
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.derive.recipes import apply_recipe
from lean_trellis.core.job.edits import Applied, Edit, remove_supports, with_detection
from lean_trellis.core.job.job import Job
from lean_trellis.core.progress import Stretch, Watch
from lean_trellis.core.search.best_values import FoundValues, SearchWish, find_best
from lean_trellis.core.sets import ParameterSet
from lean_trellis.core.sets.recipe import Recipe, RegionsByRule


@dataclass(frozen=True)
class ByRecipe:
    """What a recipe came to on some parts, as one edit, with the account of each part by its id."""

    edit: Edit
    of_parts: Mapping[str, Applied]

    @property
    def words(self) -> str:
        """How many regions were supported, left alone, taken by no rule."""
        accounts = self.of_parts.values()
        supported = sum(len(numbers) for one in accounts for numbers in one.supported.values())
        alone = sum(len(numbers) for one in accounts for numbers in one.left_alone.values())
        untaken = sum(len(one.untaken) for one in accounts)
        words = [f"{supported} region{'s' * (supported != 1)} supported"]
        words += [f"{alone} left alone"] if alone else []
        words += [f"{untaken} that no rule takes"] if untaken else []
        kept = sum(len(one.kept_hand_work) for one in accounts)
        words += [f"{kept} support{'s' * (kept != 1)} kept for manual edits alone"] if kept else []
        return ", ".join(words)


@dataclass(frozen=True)
class ApplyRecipe:
    """Support parts by a recipe, in place of some supports; of one part only some regions, if they are given."""

    job: Job
    part_ids: tuple[str, ...]
    recipe: Recipe
    sets: Mapping[str, ParameterSet]
    only: frozenset[int] | None = None
    instead_of: tuple[str, ...] = ()

    def answer(self, pipeline: Pipeline, watch: Watch) -> ByRecipe:
        """The edit and what came of it."""
        job = remove_supports(self.job, self.instead_of).job if self.instead_of else self.job
        accounts = {}
        for number, part_id in enumerate(self.part_ids):
            stretch = Stretch(watch, number / len(self.part_ids), (number + 1) / len(self.part_ids))
            stretch.at(0, f"finding the regions of {job.part(part_id).name}")
            accounts[part_id] = apply_recipe(
                job, part_id, self.recipe, self.sets, pipeline.graph, stretch, only=self.only
            )
            job = accounts[part_id].edit.job
        what = job.part(self.part_ids[0]).name if len(self.part_ids) == 1 else f"{len(self.part_ids)} parts"
        verb = "Replace supports of" if self.instead_of else "Support"
        return ByRecipe(Edit(f"{verb} {what} by {self.recipe.title}", job), accounts)


@dataclass(frozen=True)
class ShareRegions:
    """Which rule of a recipe takes which region of a part, found by the recipe's detection values."""

    job: Job
    part_id: str
    recipe: Recipe

    def answer(self, pipeline: Pipeline, watch: Watch) -> RegionsByRule:
        """Regions by rule; those that support themselves are left out."""
        job = with_detection(self.job, self.part_id, self.recipe)
        part = job.part(self.part_id)
        overhanging = {region.id for region in pipeline.overhangs(part, job, Stretch(watch, 0.0, 0.3)).to_support}
        traits = [one for one in pipeline.traits(part, job, Stretch(watch, 0.3, 1.0)) if one.number in overhanging]
        return self.recipe.assigned(traits, job.machine.process, job.material.id)


@dataclass(frozen=True)
class FindBest:
    """Try values of a recipe on a part, in processes of their own."""

    wish: SearchWish

    def answer(self, pipeline: Pipeline, watch: Watch) -> FoundValues:
        """What was found."""
        return find_best(self.wish, watch)


@dataclass(frozen=True)
class SupportFiles:
    """Support many files by a recipe, a job a file, in processes of their own; what is done stays when it is ended."""

    wish: BatchWish

    def answer(self, pipeline: Pipeline, watch: Watch) -> tuple[Row, ...]:
        """What came of each."""
        return run_batch(self.wish, watch)
