"""The bodies of a build one after another in each layer: the ways between them, what each layer takes and why."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.layers.changes import Changes, changes_of
from lean_trellis.core.layers.laid import motion_of
from lean_trellis.core.layers.paths import Paths
from lean_trellis.core.layers.plan import LayerPlan
from lean_trellis.core.layers.purge import purge_path, purge_volume
from lean_trellis.core.layers.work import Work, work_of
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Constant, value_or

CHANGE_S = 38.0
_BETWEEN = 1_000_000


@dataclass(frozen=True, eq=False)
class Assembly:
    """The layers of a build: `numbers` (l,), and in which order bodies come in them.

    `turn_numbers` and `turn_bodies` (t,) name the layer and the body of each turn, in the order of building; -1 is a
    purge. `changes` tells where the material changes. `seconds_by` has (l,) seconds of each layer by cause.
    """

    numbers: Longs
    turn_numbers: Longs
    turn_bodies: Longs
    changes: Changes
    purge: Mapping[float, Paths]
    seconds_by: Mapping[str, Floats]

    @property
    def layer_seconds(self) -> Floats:
        """(l,): what each layer takes."""
        return np.sum([np.zeros(len(self.numbers)), *self.seconds_by.values()], axis=0)

    def purge_in(self, number: int, thickness: float) -> Paths | None:
        """What is wiped off in the layer of a number, of a thickness in mm; None where nothing is."""
        low, high = np.searchsorted(self.turn_numbers, [number, number + 1])
        return self.purge[thickness] if (self.turn_bodies[low:high] < 0).any() else None


@dataclass(frozen=True, eq=False)
class AssembledBody:
    """What assembling needs to know of a body: its work, in which layers it is, what it is called among causes."""

    work: Work
    cause: str
    is_other: bool
    low: int
    high: int
    """The numbers of its lowest and highest layer."""


def assembled(
    bodies: Sequence[AssembledBody], plan: LayerPlan, machine: Machine, constants: Mapping[str, Constant]
) -> Assembly:
    """Put bodies in order and sum up what each layer takes, by the process."""
    filled = [body for body in bodies if body.low <= body.high]
    low = min([0, *(body.low for body in filled)])
    high = max([low - 1, *(body.high for body in filled)])
    numbers = np.arange(low, high + 1)
    if not len(numbers):  # what is lower than a layer is not built at all
        none = np.zeros(0, np.int64)
        return Assembly(none, none, none, changes_of(none > 0, none > 0), {}, {})
    thickness = plan.thickness_of(numbers)
    changes = changes_of(*(_attached(bodies, numbers, is_other) for is_other in (False, True)))
    changed = changes.at_start | changes.within
    purge = _purges(np.unique(thickness[changed]), machine, constants)
    turns = _turns(bodies, numbers, changes, has_purge=bool(purge))
    seconds = _seconds(bodies, turns, numbers, thickness, purge, machine, constants)
    if machine.process == "extrusion":
        seconds["material changes"] = seconds.get("material changes", np.zeros(len(numbers))) + (
            value_or(constants, "change_time", CHANGE_S) * (changes.at_start.astype(np.float64) + changes.within)
        )
        least = value_or(constants, "least_layer_time", 0.0)
        so_far = np.sum(list(seconds.values()), axis=0)
        seconds["waits of short layers"] = np.where(so_far > 0, np.maximum(least - so_far, 0.0), 0.0)
    if machine.rates.time_factor != 1:
        seconds = {cause: some * machine.rates.time_factor for cause, some in seconds.items()}
    return Assembly(numbers, numbers[turns[0]], turns[1], changes, purge, seconds)


def _attached(bodies: Sequence[AssembledBody], numbers: Longs, is_other: bool) -> Bools:
    """(l,): whether a layer holds something of one of the two materials."""
    has = np.zeros(len(numbers), bool)
    for body in bodies:
        if body.is_other == is_other and body.work.layers:
            has[body.work.numbers - numbers[0]] = True
    return has


def _purges(thicknesses: Floats, machine: Machine, constants: Mapping[str, Constant]) -> dict[float, Paths]:
    """What a purge looks like in a layer of each thickness; nothing without a tower."""
    if machine.purge_tower is None or "path_width" not in constants:
        return {}
    width, volume = constants["path_width"].value, purge_volume(constants)
    return {float(high): purge_path(machine.purge_tower, volume, width, float(high)) for high in thicknesses}


def _turns(
    bodies: Sequence[AssembledBody], numbers: Longs, changes: Changes, *, has_purge: bool
) -> tuple[Longs, Longs]:
    """(t,) the place of the layer and (t,) the body of each turn, in the order of building."""
    layers = [body.work.numbers - numbers[0] for body in bodies]
    places = np.concatenate([np.zeros(0, np.int64), *layers])
    owners = np.repeat(np.arange(len(layers)), [len(some) for some in layers])
    others = np.array([body.is_other for body in bodies], bool)[owners]
    ranks = np.where(others != changes.begins_other[places], _BETWEEN + 1 + owners, owners)
    if has_purge:
        for which, rank in ((changes.at_start, -1), (changes.within, _BETWEEN)):
            some = np.flatnonzero(which)
            places = np.concatenate([places, some])
            owners = np.concatenate([owners, np.full(len(some), -1)])
            ranks = np.concatenate([ranks, np.full(len(some), rank)])
    order = np.lexsort((ranks, places))
    return places[order], owners[order]


def _seconds(
    bodies: Sequence[AssembledBody],
    turns: tuple[Longs, Longs],
    numbers: Longs,
    thickness: Floats,
    purge: Mapping[float, Paths],
    machine: Machine,
    constants: Mapping[str, Constant],
) -> dict[str, Floats]:
    count = len(numbers)
    if machine.process == "vat":
        return _exposures(numbers, constants)
    by: dict[str, Floats] = {}
    if machine.process == "powder_bed":
        by["recoating"] = np.full(count, constants["recoat_time"].value)
    for body in bodies:
        so_far = by.setdefault(body.cause, np.zeros(count))
        so_far[body.work.numbers - numbers[0]] += body.work.seconds
    places, owners = turns
    ends = np.zeros((2, len(places), 2))
    for number, body in enumerate(bodies):
        mine = owners == number
        ends[0, mine], ends[1, mine] = body.work.firsts, body.work.lasts
    motion = motion_of(machine, constants, is_support=False)
    for high, paths in purge.items():
        mine = (owners < 0) & (thickness[places] == high)
        work = work_of(paths, np.zeros(1, np.int64), motion)
        ends[0, mine], ends[1, mine] = work.firsts, work.lasts
        so_far = by.setdefault("material changes", np.zeros(count))
        so_far += np.bincount(places[mine], minlength=count) * float(work.seconds.sum())
    if len(places) > 1:
        gaps = ends[0, 1:] - ends[1, :-1]
        travel = motion.travels(np.hypot(gaps[:, 0], gaps[:, 1]))
        if machine.process == "powder_bed":  # while powder is spread the mirrors have come back
            travel = np.where(places[1:] == places[:-1], travel, 0.0)
        by["travel"] = np.bincount(places[1:], travel, count).astype(np.float64)
    return by


def layer_seconds(top_mm: float, plan: LayerPlan, machine: Machine, constants: Mapping[str, Constant]) -> float:
    """What all layers up to a height take whatever is in them: recoating, or exposure, lifting and waiting."""
    numbers = plan.numbers_of(plan.middles(0.0, top_mm))
    if machine.process == "vat":
        seconds = sum(float(some.sum()) for some in _exposures(numbers, constants).values())
    else:
        seconds = len(numbers) * value_or(constants, "recoat_time", 0.0) if machine.process == "powder_bed" else 0.0
    return seconds * machine.rates.time_factor


def _exposures(numbers: Longs, constants: Mapping[str, Constant]) -> dict[str, Floats]:
    """A vat's layers: each waits, is exposed and lifted; the lowest ones are exposed longer."""
    count = len(numbers)
    is_base = numbers < round(constants["base_layers"].value)
    exposure = np.where(is_base, constants["base_exposure_time"].value, constants["exposure_time"].value)
    waits = value_or(constants, "wait_before", 0.0) + value_or(constants, "wait_after", 0.0)
    return {
        "exposure": exposure.astype(np.float64),
        "lifting": np.full(count, constants["lift_time"].value),
        "waiting": np.full(count, waits),
    }
