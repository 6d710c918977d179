"""Edits by recipe: supports of a part by rules, and supports made again where rules, sets or the part have changed."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.job import Job, fresh_id
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.overhang.traits import RegionTraits
from lean_trellis.core.parts.part import OwnDetection
from lean_trellis.core.sets.parameter_set import ParameterSet, find_set
from lean_trellis.core.sets.recipe import Recipe, RegionsByRule, Use
from lean_trellis.core.supports.common.support import MadeBy, RegionPick, Support
from lean_trellis.core.supports.common.targets import pick_region

_Key = tuple[str, int]
"""A rule's name and which of its sets."""


@dataclass(frozen=True)
class Applied:
    """What a recipe came to on one part, regions by their numbers.

    `supported` and `left_alone` by the name of the rule, `untaken` by no rule. `kept_hand_work` names supports whose
    rule takes nothing any more and that stay for what was done to them by hand.
    """

    edit: Edit
    supported: Mapping[str, tuple[int, ...]]
    left_alone: Mapping[str, tuple[int, ...]]
    untaken: tuple[int, ...]
    kept_hand_work: tuple[str, ...] = ()


def with_detection(job: Job, part_id: str, recipe: Recipe) -> Job:
    """The job with a part's regions found by the recipe's detection values; what it does not say stays."""
    part, said = job.part(part_id), recipe.detection
    own = {key: getattr(said, key) for key in vars(OwnDetection()) if getattr(said, key) is not None}
    angles = {key: getattr(said, key) for key in ("critical_angle", "watch_angle") if getattr(said, key) is not None}
    changed = replace(part, detection=replace(part.detection, **own), **angles)
    return job if changed == part else job.with_part(changed)


def support_by_recipe(
    job: Job,
    part_id: str,
    recipe: Recipe,
    sets: Mapping[str, ParameterSet],
    regions: Sequence[Region],
    traits: Sequence[RegionTraits],
    *,
    is_whole: bool = True,
) -> Applied:
    """Support regions of a part by a recipe's rules, one support for each set of a rule; `traits` are theirs.

    `is_whole`: they are all that has to be supported; a rule that takes each of them, whatever it is like, then makes
    supports for every region that the part will have.
    What the same rules made on the part before is brought up to date: it gets today's regions and values, but keeps
    its hand work and the values that were changed on it. What no rule makes any more goes, unless there is hand
    work on it. Raises `UnknownNameError` and `ParameterError` for sets and values that there are none of.
    """
    part = job.part(part_id)
    assigned = recipe.assigned(traits, job.machine.process, job.material.id)
    picks = {region.id: pick_region(region, part) for region in regions}
    before = {_key_of(one): one for one in job.supports_of(part_id) if one.made_by and one.made_by.recipe == recipe.id}
    after: dict[_Key, Support] = {}
    if not is_whole:
        before = {}  # what these rules made for other regions stays as it is
    for key, use, numbers in _wanted(recipe, assigned):
        target = (
            None
            if is_whole and recipe.rule(key[0]).takes_all and len(numbers) == len(regions)
            else tuple(picks[number] for number in numbers)
        )
        job, after[key] = _supported(job, part_id, recipe, sets, key, use, target, before.get(key))
    gone = [one for key, one in before.items() if key not in after and one.hand.is_empty]
    left = [one for key, one in before.items() if key not in after and not one.hand.is_empty]
    gone_ids = {one.id for one in gone}
    job = replace(job, supports=tuple(one for one in job.supports if one.id not in gone_ids))
    for one in left:
        job = job.with_support(replace(one, target=()))
    by_rule = {name: recipe.rule(name) for name in assigned.by_rule}
    return Applied(
        Edit(f"Support {part.name} by {recipe.title}", job),
        {name: numbers for name, numbers in assigned.by_rule.items() if by_rule[name].set},
        {name: numbers for name, numbers in assigned.by_rule.items() if by_rule[name].leave},
        assigned.rest,
        tuple(one.set_name for one in left),
    )


def _wanted(recipe: Recipe, by_rule: RegionsByRule) -> Iterator[tuple[_Key, Use, tuple[int, ...]]]:
    for name, numbers in by_rule.by_rule.items():
        for place, use in enumerate(recipe.rule(name).uses):
            yield (name, place), use, numbers


def _key_of(support: Support) -> _Key:
    assert support.made_by is not None, "only supports of a recipe have a rule"
    return support.made_by.rule, support.made_by.use


def _supported(
    job: Job,
    part_id: str,
    recipe: Recipe,
    sets: Mapping[str, ParameterSet],
    key: _Key,
    use: Use,
    target: tuple[RegionPick, ...] | None,
    before: Support | None,
) -> tuple[Job, Support]:
    """The job with the support of one set of a rule: a new one, or the one that was there brought up to date."""
    base = find_set(sets, use.set)
    parameters = use.parameters(sets)
    if before is not None:
        parameters = parameters.with_values(_changed_on_it(job, before)) if _same_form(before, base) else parameters
    made = Support(
        id=before.id if before is not None else fresh_id("support", (one.id for one in job.supports)),
        part_id=part_id,
        parameters=parameters,
        set_name=base.name,
        set_version=base.version,
        target=target,
        made_by=MadeBy(recipe.id, recipe.version, key[0], key[1], tuple(sorted(use.values.items()))),
    )
    job = job.with_set(base)
    if before is None:
        return replace(job, supports=(*job.supports, made)), made
    if not _same_form(before, base) and not before.hand.is_empty:
        raise EditError(
            before.set_name, "has work by hand that its rule's new set cannot take over",
            "discard the manual edits first, or remove the support",
        )  # fmt: skip
    made = replace(made, hand=before.hand, others=before.others, body=before.body)
    return job.with_support(made), made


def _same_form(support: Support, base: ParameterSet) -> bool:
    return type(support.parameters) is type(base.parameters)


def _changed_on_it(job: Job, support: Support) -> dict[str, object]:
    """The values of a support that neither its set nor its rule has given it."""
    used = job.set_of(support)
    if used is None or not _same_form(support, used) or support.made_by is None:
        return {}
    given = used.parameters.with_values(dict(support.made_by.values))
    return {key: here for key, (here, _) in support.parameters.differences(given).items()}
