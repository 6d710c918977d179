"""One shared build as a value: machine, material, parts, supports."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from lean_trellis.core.errors import UnknownNameError
from lean_trellis.core.job.released import BoardLink, Released
from lean_trellis.core.job.waivers import Waiver
from lean_trellis.core.overhang.bridging import SelfBridging
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Stack
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import USUAL_MODE, Constant, Material
from lean_trellis.core.supports.common.support import Support

_NEAR_MM = 1.0
"""So near to its box a place is at a part."""


@dataclass(frozen=True)
class Trial:
    """A state of a job that is kept under a name, to be compared; it keeps no trials of its own."""

    name: str
    job: Job


@dataclass(frozen=True)
class Job:
    """A job is never changed; an edit makes another one. Order of parts and supports is that of adding."""

    name: str
    machine: Machine
    material: Material
    layer_height: float
    parts: tuple[Part, ...] = ()
    supports: tuple[Support, ...] = ()
    stacks: tuple[Stack, ...] = ()
    lot: str = ""
    surface: str = ""
    fitting: str = ""
    sets: tuple[ParameterSet, ...] = ()
    """The parameter sets that its supports were made with, as they were then."""
    released: Released | None = None
    """Its release, where it has been released: nothing changes it any more."""
    first_layer: float | None = None
    """Height of the lowest layer, mm, where it has one of its own."""
    support_every: int = 1
    """Supports are built at every so many-th layer."""
    trials: tuple[Trial, ...] = ()
    """States that were kept, in the order of keeping."""
    mode: str = USUAL_MODE
    """The mode of the material in which it is built."""
    loaded_grams: float | None = None
    """How much powder, resin or filament is loaded for this build, where somebody said so."""
    due: str = ""
    """The day by which it has to be built, ISO 8601."""
    waivers: tuple[Waiver, ...] = ()
    """Stops that were accepted in writing."""
    link: BoardLink | None = None
    """The build of the shop's board that it belongs to."""

    @property
    def is_released(self) -> bool:
        """Whether it has been released."""
        return self.released is not None

    @property
    def constants(self) -> dict[str, Constant]:
        """The material's constants on this machine, at this layer height, on this surface, in this mode."""
        surface = self.surface or next(iter(self.machine.surfaces), "")
        return self.material.constants_for(self.machine.id, self.layer_height, surface, self.mode)

    def part(self, part_id: str) -> Part:
        """The part of that id."""
        for part in self.parts:
            if part.id == part_id:
                return part
        raise UnknownNameError.among("part", part_id, (part.id for part in self.parts))

    def support(self, support_id: str) -> Support:
        """The support of that id."""
        for support in self.supports:
            if support.id == support_id:
                return support
        raise UnknownNameError.among("support", support_id, (support.id for support in self.supports))

    def set_of(self, support: Support) -> ParameterSet | None:
        """The set that a support was made with, as it was then; None where the job does not hold it."""
        wanted = (support.set_name, support.set_version)
        return next((one for one in self.sets if (one.name, one.version) == wanted), None)

    def with_set(self, used: ParameterSet) -> Job:
        """The same job with a set that is used in it."""
        kept = tuple(one for one in self.sets if (one.name, one.version) != (used.name, used.version))
        return replace(self, sets=(*kept, used))

    def supports_of(self, part_id: str) -> tuple[Support, ...]:
        """The supports of one part."""
        return tuple(support for support in self.supports if support.part_id == part_id)

    def part_at(self, place: tuple[float, float, float]) -> Part | None:
        """The first part whose box holds a place of the plate's frame, mm; None where none does."""
        for part in self.parts:
            low, high = part.bounds()
            if all(low[axis] - _NEAR_MM <= place[axis] <= high[axis] + _NEAR_MM for axis in range(3)):
                return part
        return None

    def stack_of(self, part_id: str) -> Stack | None:
        """The stack that a part stands in, if any."""
        return next((stack for stack in self.stacks if part_id in stack.parts), None)

    def companions(self, part_id: str) -> tuple[str, ...]:
        """The part and those that are moved with it: of its group, of its stack, and of theirs."""
        members = {part_id}
        while True:
            groups = {part.group for part in self.parts if part.id in members and part.group}
            grown = members | {part.id for part in self.parts if part.group in groups}
            for stack in self.stacks:
                if grown & set(stack.parts):
                    grown |= set(stack.parts)
            if grown == members:
                return tuple(part.id for part in self.parts if part.id in members)
            members = grown

    def critical_angle(self, part: Part) -> float:
        """The part's critical angle, or the material's."""
        return self.material.detection.critical_angle if part.critical_angle is None else part.critical_angle

    def watch_angle(self, part: Part) -> float:
        """The part's watch angle, or the material's; never below the critical angle."""
        own = self.material.detection.watch_angle if part.watch_angle is None else part.watch_angle
        return max(own, self.critical_angle(part))

    def bridging_of(self, part: Part) -> SelfBridging | None:
        """What supports itself on a part: the material's values, but for those that the part has of its own."""
        return None if self.bridging is None else self.bridging.with_own(**vars(part.detection))

    @property
    def bridging(self) -> SelfBridging | None:
        """What supports itself by the material's detection values; None in a vat, where nothing does."""
        return SelfBridging.of(self.material)

    def trial(self, name: str) -> Trial:
        """The trial of that name."""
        for trial in self.trials:
            if trial.name == name:
                return trial
        raise UnknownNameError.among("trial", name, (trial.name for trial in self.trials))

    def with_part(self, part: Part) -> Job:
        """The same job with one part replaced by its new value."""
        self.part(part.id)
        return replace(self, parts=tuple(part if old.id == part.id else old for old in self.parts))

    def with_support(self, support: Support) -> Job:
        """The same job with one support replaced by its new value."""
        self.support(support.id)
        return replace(self, supports=tuple(support if old.id == support.id else old for old in self.supports))


def new_job(machine: Machine, material: Material, name: str = "Untitled") -> Job:
    """An empty job with the material's usual layer height."""
    return Job(name, machine, material, material.usual_layer_height)


def fresh_id(prefix: str, taken: Iterable[str]) -> str:
    """The first of prefix-1, prefix-2 … that is not taken."""
    known = set(taken)
    number = len(known) + 1
    while f"{prefix}-{number}" in known:
        number += 1
    return f"{prefix}-{number}"


def fresh_name(name: str, taken: Iterable[str]) -> str:
    """The name, or `name (2)`, `name (3)` … when it is taken."""
    known = set(taken)
    candidate, number = name, 2
    while candidate in known:
        candidate, number = f"{name} ({number})", number + 1
    return candidate
