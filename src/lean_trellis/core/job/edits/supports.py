"""Edits of supports."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.job import Job, fresh_id
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.supports.bodies.tag import TagParameters
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.support import RegionPick, Support


def add_support(
    job: Job,
    part_id: str,
    chosen_set: ParameterSet,
    target: tuple[RegionPick, ...] | None = None,
    parameters: FamilyParameters | None = None,
) -> Edit:
    """Add a support with a set's values (or `parameters` that differ from it) for a target."""
    part = job.part(part_id)
    support = Support(
        id=fresh_id("support", (support.id for support in job.supports)),
        part_id=part_id,
        parameters=parameters or chosen_set.parameters,
        set_name=chosen_set.name,
        set_version=chosen_set.version,
        target=target,
    )
    job = job.with_set(chosen_set)
    return Edit(f"Support {part.name} with {chosen_set.title}", replace(job, supports=(*job.supports, support)))


def untagged(job: Job) -> tuple[str, ...]:
    """The parts that have no tag."""
    tagged = {support.part_id for support in job.supports if isinstance(support.parameters, TagParameters)}
    return tuple(part.id for part in job.parts if part.id not in tagged)


def tag_every_part(job: Job, support_id: str) -> Edit:
    """A tag like one that is there for every part that has none.

    Raises `EditError` where the support is no tag, or every part has one.
    """
    like = job.support(support_id)
    without = untagged(job)
    if not isinstance(like.parameters, TagParameters):
        raise EditError(like.set_name, "is no tag", "select one")
    if not without:
        raise EditError("Tag every part", "every part has a tag", "change the tags that are there")
    supports = job.supports
    for part_id in without:
        supports += (replace(like, id=fresh_id("support", (one.id for one in supports)), part_id=part_id),)
    return Edit(f"Tag {len(without)} parts", replace(job, supports=supports))


def change_support(job: Job, support_id: str, key: str, value: Any) -> Edit:
    """Change one value of a support. Raises `ParameterError` where it is out of range."""
    support = job.support(support_id)
    changed = support.parameters.with_value(key, value)
    label = next(known.label for known in changed.declared() if known.key == key)
    return Edit(f"Change {label.lower()}", job.with_support(replace(support, parameters=changed)))


def use_set(job: Job, support_id: str, chosen_set: ParameterSet, parameters: FamilyParameters | None = None) -> Edit:
    """Give a support the values of another set, or its own `parameters` as differences from that."""
    support = replace(
        job.support(support_id),
        parameters=parameters or chosen_set.parameters,
        set_name=chosen_set.name,
        set_version=chosen_set.version,
    )
    return Edit(f"Use {chosen_set.title}", job.with_set(chosen_set).with_support(support))


def narrow_target(job: Job, support_id: str, kept: tuple[RegionPick, ...], what: str) -> Edit:
    """Let a support hold some regions alone; `what` says which it leaves."""
    support = job.support(support_id)
    if not kept:
        raise EditError(support.set_name, "would hold nothing", "remove it instead")
    title = f"Leave {what} of {job.part(support.part_id).name} to hold by itself"
    return Edit(title, job.with_support(replace(support, target=kept)))


def extend_target(job: Job, support_id: str, further: tuple[RegionPick, ...]) -> Edit:
    """Apply a support to further regions as well."""
    support = job.support(support_id)
    if support.target is None:
        raise EditError(support.set_name, "already serves every region of its part", "nothing to add")
    fresh = tuple(pick for pick in further if pick not in support.target)
    count = f"{len(fresh)} more region{'s' if len(fresh) != 1 else ''}"
    return Edit(f"Support {count}", job.with_support(replace(support, target=support.target + fresh)))


def remove_supports(job: Job, support_ids: Sequence[str]) -> Edit:
    """Remove supports; the part stays where it is, at its build offset."""
    gone = set(support_ids)
    kept = tuple(support for support in job.supports if support.id not in gone)
    what = "a support" if len(gone) == 1 else f"{len(gone)} supports"
    return Edit(f"Remove {what}", replace(job, supports=kept))
