"""The changes that cures make: frozen values, each with its edit."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from lean_trellis.core.checks.finding import Change, Cure, Deriving, Finding
from lean_trellis.core.errors import Cancelled, EditError, TrellisError
from lean_trellis.core.job.edits import (
    Edit,
    add_support,
    change_support,
    change_values,
    choose_mode,
    drop_trial,
    lay_load_flat,
    move_missed,
    move_part,
    remove_supports,
    set_build_offset,
    set_layer_height,
    thicken_parts,
    turn_part,
)
from lean_trellis.core.job.edits.updates import take_set
from lean_trellis.core.job.job import Job
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.sets.recipe import usual_set
from lean_trellis.core.supports.bars.holds import SupportPoints, places_to_support
from lean_trellis.core.supports.bars.parameters import bar_parameters
from lean_trellis.core.supports.bars.struts import Bars
from lean_trellis.core.supports.bars.ways.route import nearest_with_way
from lean_trellis.core.supports.common.spec import spec_of
from lean_trellis.core.supports.common.targets import pick_region


@dataclass(frozen=True)
class SetOffset:
    """Stand a part at another build offset."""

    part_id: str
    offset: float
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Set it."""
        return set_build_offset(job, [self.part_id], self.offset)


@dataclass(frozen=True)
class MoveTo:
    """Put a part at another place."""

    part_id: str
    x: float
    y: float
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Move it."""
        return move_part(job, self.part_id, self.x, self.y)


@dataclass(frozen=True)
class TakeSet:
    """Take a later version of a parameter set for all supports that have an earlier one."""

    there: ParameterSet
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Take it."""
        return take_set(job, self.there)


@dataclass(frozen=True)
class TurnBy:
    """Turn a part about an axis of the plate."""

    part_id: str
    axis: str
    angle_deg: float
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Turn it."""
        return turn_part(job, self.part_id, self.axis, self.angle_deg)


@dataclass(frozen=True)
class LayLoadFlat:
    """Turn a part by the least angle that brings its load into the layers."""

    part_id: str
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Turn it. Raises `EditError` where no load is named or the part is locked."""
        return lay_load_flat(job, self.part_id)


@dataclass(frozen=True)
class SetValue:
    """Give one value of a support another value; a foot that would be narrower than its shaft is widened with it."""

    support_id: str
    key: str
    value: Any
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Change it."""
        parameters = job.support(self.support_id).parameters
        values = parameters.model_dump()
        if self.key != "shaft_diameter" or values.get("foot_diameter", self.value) >= self.value:
            return change_support(job, self.support_id, self.key, self.value)
        label = parameters.declared_as(self.key).label.lower()
        foot = round(self.value + values["foot_diameter"] - values[self.key], 3)
        wider = {self.key: self.value, "foot_diameter": foot}
        return change_values(job, self.support_id, wider, f"Change {label} and foot")


@dataclass(frozen=True)
class Thicken:
    """Build what is too thin of a part at the least width."""

    part_id: str
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Do so."""
        return thicken_parts(job, [self.part_id])


@dataclass(frozen=True)
class SetLayerHeight:
    """Build in layers of another height."""

    height: float
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Set it."""
        return set_layer_height(job, self.height)


@dataclass(frozen=True)
class ChooseMode:
    """Build in another mode of the material."""

    mode: str
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Choose it."""
        return choose_mode(job, self.mode)


@dataclass(frozen=True)
class DropTrial:
    """Forget a trial."""

    name: str
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Drop it. Raises `UnknownNameError` where it is gone already."""
        return drop_trial(job, self.name)


@dataclass(frozen=True)
class AddSupport:
    """Add a support of a set to a part."""

    part_id: str
    set_name: str
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Add it."""
        return add_support(job, self.part_id, shipped_sets()[self.set_name])


@dataclass(frozen=True)
class RemoveSupport:
    """Delete a support."""

    support_id: str
    is_quick: bool = True

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Delete it."""
        return remove_supports(job, [self.support_id])


@dataclass(frozen=True)
class SupportRegions:
    """Support regions by their numbers, all where none are named, with the set that was used last."""

    part_id: str
    regions: tuple[int, ...] = ()
    is_quick: bool = False

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Add the support. Raises `EditError` where nothing of it could be built."""
        target = None
        if self.regions:
            part = job.part(self.part_id)
            regions = deriving.overhangs(part, job, watch).regions
            target = tuple(pick_region(regions[number], part) for number in self.regions)
        edit = add_support(job, self.part_id, _set_in_use(job), target)
        support = edit.job.supports[-1]
        made = deriving.structure(support, edit.job, watch)
        if made.is_empty:
            why = spec_of(support).trouble(made) or "nothing could be built there"
            is_taken = any(other.part_id == self.part_id for other in job.supports) and "another bar" in why
            hint = "delete what stands there first" if is_taken else "turn the part, or allow landing on the part"
            raise EditError(job.part(self.part_id).name, f"no support reaches it: {why.rstrip('.')}", hint)
        return edit


def _set_in_use(job: Job) -> ParameterSet:
    """The set of the latest support of the usual set's family; the usual one where there is none."""
    known, process = shipped_sets(), job.machine.process
    usual = known[usual_set(process)]
    for support in reversed(job.supports):
        used = known.get(support.set_name)
        if used is not None and used.suits(process) and type(used.parameters) is type(usual.parameters):
            return used
    return usual


@dataclass(frozen=True)
class MoveMissed:
    """Move the support points without a clear path, for a reason, to the nearest places that have one."""

    support_id: str
    reason: int
    is_quick: bool = False

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Move them. Raises `EditError` where no place is near enough for any of them."""
        support = job.support(self.support_id)
        parameters, bars = bar_parameters(support), deriving.structure(support, job, watch)
        assert isinstance(bars, Bars)
        request = deriving.request(support, job, watch)
        chosen = bars.missed.reasons == self.reason
        wanted = SupportPoints(bars.missed.holds[chosen], bars.missed.holds[chosen] * 0, bars.missed.regions[chosen])
        offered = places_to_support(request.overhangs, np.unique(wanted.regions), parameters.spacing / 6)
        obstacles = list(request.obstacles)
        nearest = nearest_with_way(wanted, offered, parameters, request.layer_height, obstacles, request.ground)
        moved = np.flatnonzero(nearest >= 0)
        if not len(moved):
            name = job.part(support.part_id).name
            raise EditError(name, "no place near by has a clear path either", "allow landing on the part, or turn it")
        return move_missed(job, self.support_id, wanted.places[moved], offered.places[nearest[moved]])


@dataclass(frozen=True)
class AllAlike:
    """The changes of one cause, one after the other; those that an earlier one has made needless are passed over."""

    words: str
    changes: tuple[Change, ...]

    @property
    def is_quick(self) -> bool:
        """Whether all of them are."""
        return all(change.is_quick for change in self.changes)

    def edit(self, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> Edit:
        """Make them. Raises the last one's `TrellisError` where none of them can be made."""
        made, refused = job, None
        for number, change in enumerate(self.changes):
            watch.at(number / len(self.changes), f"{self.words}, {number + 1} of {len(self.changes)}")
            try:
                made = change.edit(made, deriving, watch).job
            except Cancelled:
                raise
            except TrellisError as problem:
                refused = problem
        if made is job and refused is not None:
            raise refused
        return Edit(self.words, made)


def cure_of_all(cure: Cure, finding: Finding, findings: Sequence[Finding]) -> Cure | None:
    """One cure for every finding of a finding's cause that the same cure mends; None where it is alone.

    Cures are the same when they change by the same kind of change and say the same, but for numbers.
    """
    changes: list[Change] = []
    for other in findings:
        for one in other.cures if other.code == finding.code else ():
            is_same = type(one.change) is type(cure.change) and _but_numbers(one.plain) == _but_numbers(cure.plain)
            if one.change is not None and is_same and one.change not in changes:
                changes.append(one.change)
    if len(changes) < 2:
        return None
    words = f"All {len(changes)}: {cure.plain[:1].lower()}{cure.plain[1:]}"
    return Cure(words, AllAlike(words, tuple(changes)))


def _but_numbers(words: str) -> str:
    return re.sub(r"\d+([.,]\d+)?", "0", words)
