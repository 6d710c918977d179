"""What the library has newer than a job holds: listed, and taken only when asked; into a released job never."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.job import Job
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.shop.library import Library
from lean_trellis.core.shop.values import differences
from lean_trellis.core.supports.common.support import Support


@dataclass(frozen=True)
class NewerValue:
    """One value that the library has otherwise: of which thing, its key, the job's value and the library's."""

    of: str
    key: str
    here: Any
    there: Any


def newer_values(job: Job, library: Library, sets: Mapping[str, ParameterSet]) -> tuple[NewerValue, ...]:
    """Every value of the job's machine, material and sets that the library has otherwise; sources do not count."""
    return tuple(_newer(job, library, sets))


def _newer(job: Job, library: Library, sets: Mapping[str, ParameterSet]) -> Iterator[NewerValue]:
    things = (
        (job.machine, library.machines.get(job.machine.id)),
        (job.material, library.materials.get(job.material.id)),
    )
    for here, there in things:
        if there is not None:
            for one in differences(here, there):
                yield NewerValue(here.name, one.key, one.here, one.there)
    for used in job.sets:
        there_set = sets.get(used.name)
        if there_set is None or type(there_set.parameters) is not type(used.parameters):
            continue
        for key, (old, new) in used.parameters.differences(there_set.parameters).items():
            yield NewerValue(used.title, key, old, new)


def take_newer(job: Job, library: Library, sets: Mapping[str, ParameterSet]) -> Edit:
    """Take what the library has newer. Values that a support has otherwise than its set stay as they are.

    Raises `EditError` for a released job, and where nothing is newer.
    """
    if job.is_released:
        raise EditError(job.name, "has been released", "copy it and change the copy")
    newer = newer_values(job, library, sets)
    if not newer:
        raise EditError(job.name, "has the library's values", "nothing to take")
    taken = replace(
        job,
        machine=library.machines.get(job.machine.id, job.machine),
        material=library.materials.get(job.material.id, job.material),
    )
    for used in job.sets:
        there = sets.get(used.name)
        if there is None or type(there.parameters) is not type(used.parameters) or there == used:
            continue
        for support in job.supports:
            if (support.set_name, support.set_version) == (used.name, used.version):
                taken = taken.with_support(_with_newer(support, used, there))
        kept = tuple(one for one in taken.sets if one != used)
        taken = replace(taken, sets=kept).with_set(there)
    things = list(dict.fromkeys(one.of for one in newer))
    return Edit(f"Take newer values of {', '.join(things)}", taken)


def take_set(job: Job, there: ParameterSet) -> Edit:
    """Take a later version of a set for every support that has an earlier one; values changed on them stay.

    Raises `EditError` for a released job, and where no support has an earlier version of the same family.
    """
    if job.is_released:
        raise EditError(job.name, "has been released", "copy it and change the copy")
    behind = supports_behind(job, there)
    if not behind:
        raise EditError(there.title, "is what the supports have already", "nothing to take")
    taken = job
    for support, used in behind:
        taken = taken.with_support(_with_newer(support, used, there))
    left = {(support.set_name, support.set_version) for support in taken.supports}
    kept = tuple(one for one in taken.sets if one.name != there.name or (one.name, one.version) in left)
    return Edit(f"Take version {there.version} of {there.title}", replace(taken, sets=kept).with_set(there))


def supports_behind(job: Job, there: ParameterSet) -> tuple[tuple[Support, ParameterSet], ...]:
    """The supports that have an earlier version of a set, each with the set as it was used."""
    used = ((support, job.set_of(support)) for support in job.supports if support.set_name == there.name)
    return tuple(
        (support, one)
        for support, one in used
        if one is not None and one.version < there.version and type(one.parameters) is type(there.parameters)
    )


def _with_newer(support: Support, used: ParameterSet, there: ParameterSet) -> Support:
    own = support.parameters.differences(used.parameters)
    values = {**there.parameters.model_dump(), **{key: here for key, (here, _) in own.items()}}
    parameters = type(support.parameters).model_validate(values)
    return replace(support, parameters=parameters, set_version=there.version)
