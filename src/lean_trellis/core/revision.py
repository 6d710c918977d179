"""A revised file for a part: where it lies on the one before, and what of the work on it is kept, changed, lost."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from lean_trellis.core.arrays import Bools
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.derive.recipes import apply_recipe
from lean_trellis.core.errors import EditError
from lean_trellis.core.heavy import heavy
from lean_trellis.core.job.edits import Edit
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.fitting import Fit, best_fit, far_faces
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.origin import Origin
from lean_trellis.core.parts.part import with_nominal
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.sets.recipe import Recipe
from lean_trellis.core.supports.common.support import HandWork, Support
from lean_trellis.core.supports.common.targets import chosen_regions

State = Literal["kept", "changed", "lost"]
_SAME_MM = 0.05
"""Surfaces nearer than this, and than a thousandth of the part's size, are the same."""
_LEAST_SHARE = 0.2
_TURNED_DEG = 0.05


@dataclass(frozen=True)
class RevisionRow:
    """One thing that belonged to the part: what became of it, in words."""

    what: str
    state: State
    words: str


@dataclass(frozen=True, eq=False)
class RevisedFile:
    """The edit that takes the file, and what it comes to.

    `before` and `after` are the nominal meshes, the revised one where it lies on the other; `gone` (m,) and `fresh`
    (n,) mark faces of each that the other has not.
    """

    edit: Edit
    fit: Fit
    rows: tuple[RevisionRow, ...]
    before: Mesh
    after: Mesh
    gone: Bools
    fresh: Bools


@heavy
def revise(
    job: Job,
    part_id: str,
    mesh: Mesh,
    origin: Origin,
    title: str,
    recipes: Mapping[str, Recipe],
    sets: Mapping[str, ParameterSet],
    pipeline: Pipeline,
    watch: Watch = UNWATCHED,
) -> RevisedFile:
    """Put a revised mesh in a part's place: recipe, targets, marks and hand work go with it as far as they fit.

    Supports of a recipe that is known are made anew by its rules. Raises `EditError` for a mesh without faces.
    """
    part = job.part(part_id)
    if not len(mesh.faces):
        raise EditError(part.name, "the file holds no faces", "choose another file")
    before = part.nominal_mesh
    watch.at(0.0, "fitting the revised part on the one before")
    fit = best_fit(before, mesh, Stretch(watch, 0.0, 0.4))
    after = mesh.moved(fit.turn, fit.shift) if fit.is_moved else mesh
    revised = job.with_part(replace(with_nominal(part, after, keeps_place=True), origin=origin))
    revised = _by_recipes(revised, part_id, recipes, sets, pipeline, Stretch(watch, 0.4, 0.6))
    within = max(_SAME_MM, 1e-3 * float(np.linalg.norm(before.bounds[1] - before.bounds[0])))
    gone, fresh = far_faces(before, after, within), far_faces(after, before, within)
    watch.at(0.7, "comparing what is kept")
    rows = tuple(_rows(job, revised, part_id, fit, after, fresh, pipeline, Stretch(watch, 0.7, 1.0)))
    return RevisedFile(Edit(title, revised), fit, rows, before, after, gone, fresh)


def _by_recipes(
    job: Job,
    part_id: str,
    recipes: Mapping[str, Recipe],
    sets: Mapping[str, ParameterSet],
    pipeline: Pipeline,
    watch: Watch,
) -> Job:
    used = {one.made_by.recipe: one for one in job.supports_of(part_id) if one.made_by is not None}
    for name in used:
        recipe = recipes.get(name)
        if recipe is not None and all(use.set in sets for rule in recipe.rules for use in rule.uses):
            job = apply_recipe(job, part_id, recipe, sets, pipeline.graph, watch).edit.job
    return job


def _rows(
    job: Job, revised: Job, part_id: str, fit: Fit, after: Mesh, fresh: Bools, pipeline: Pipeline, watch: Watch
) -> Iterator[RevisionRow]:
    part, now = job.part(part_id), revised.part(part_id)
    area = float(after.areas[fresh].sum())
    share = area / max(float(after.areas.sum()), 1e-12)
    volumes = part.nominal_mesh.volume / 1000, after.volume / 1000
    words = f"{100 * (1 - share):.0f} % alike, {volumes[0]:.2f} to {volumes[1]:.2f} cm³"
    yield RevisionRow("Shape", "lost" if share > 1 - _LEAST_SHARE else "changed" if share > 0 else "kept", words)
    if fit.is_moved:
        yield RevisionRow("Origin", "changed", f"{_moved(fit)}, best fit")
    for key, words in (("protected", "Protected surface"), ("hand", "Regions marked by hand")):
        marks = getattr(part.marks, key)
        if marks is not None:
            was = float(part.nominal_mesh.areas[marks.values != 0].sum())
            kept = getattr(now.marks, key)
            is_now = 0.0 if kept is None else float(now.nominal_mesh.areas[kept.values != 0].sum())
            state: State = "lost" if is_now < _LEAST_SHARE * was else "kept" if is_now > 0.99 * was else "changed"
            yield RevisionRow(words, state, f"{was:.1f} to {is_now:.1f} mm²")
    yield from _support_rows(job, revised, part_id, pipeline, watch)


def _moved(fit: Fit) -> str:
    """How far the file's origin had moved, and by how much it was turned."""
    turned = float(np.degrees(np.arccos(np.clip((np.trace(fit.turn) - 1) / 2, -1, 1))))
    return f"{float(np.linalg.norm(fit.shift)):.2f} mm" + (f", {turned:.1f}°" if turned > _TURNED_DEG else "")


def _support_rows(job: Job, revised: Job, part_id: str, pipeline: Pipeline, watch: Watch) -> Iterator[RevisionRow]:
    after = {one.id: one for one in revised.supports_of(part_id)}
    own = job.supports_of(part_id)
    for number, support in enumerate(own):
        now, stretch = after.pop(support.id, None), Stretch(watch, number / len(own), (number + 1) / len(own))
        title = _title(job, support)
        if now is None:
            yield RevisionRow(title, "lost", "its rule takes no region any more")
            continue
        was, later = _regions(job, support, pipeline), _regions(revised, now, pipeline)
        yield RevisionRow(title, "kept" if was == later else "changed" if later else "lost",
                          f"{was} to {later} region{'s' * (later != 1)}")  # fmt: skip
        count = _edits(support.hand)
        if count:
            lost = len(pipeline.structure(now, revised, stretch).lost_by_hand)
            state: State = "kept" if not lost else "lost" if lost >= count else "changed"
            yield RevisionRow(f"{title}: manual edits", state, f"{max(count - lost, 0)} of {count} kept")
    for support in after.values():
        later = _regions(revised, support, pipeline)
        yield RevisionRow(_title(revised, support), "changed", f"new by its recipe: {later} region{'s' * (later != 1)}")


def _title(job: Job, support: Support) -> str:
    used = job.set_of(support)
    return support.set_name if used is None else used.title


def _regions(job: Job, support: Support, pipeline: Pipeline) -> int:
    part = job.part(support.part_id)
    return len(chosen_regions(support.target, part.pose, part.mesh, pipeline.overhangs(part, job)))


def _edits(hand: HandWork) -> int:
    """How many manual edits there are."""
    return sum(len(entries) for entries in vars(hand).values())
