"""Nodes of statics: contacts that carry, what each carries while a part is built, figures under these loads."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats, Longs, frozen
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import CONSTANTS, Need, Node, Reader
from lean_trellis.core.derive.parts import AIR_CELLS, OBSTACLE, OVERHANGS
from lean_trellis.core.derive.supports import STRUCTURE
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.hollows import AirCells, Cups
from lean_trellis.core.parts.part import Part
from lean_trellis.core.strength.actions import actions_of
from lean_trellis.core.strength.bond import Bond
from lean_trellis.core.strength.grip_loads import GripLoads, LevelLoads
from lean_trellis.core.strength.grips import Grips
from lean_trellis.core.strength.growth_use import GrowthUse, HoldUse, growth_use
from lean_trellis.core.strength.statics import PartLoads, Standing, part_statics
from lean_trellis.core.supports.common.contacts import ContactParameters
from lean_trellis.core.supports.common.spec import spec_for, spec_named
from lean_trellis.core.supports.common.support import Support

_NEAR_MM = 0.5
_REACHED_MM = 0.5
_FOOT_MM = 3.0
"""A foot no wider than this is one spot on the plate; larger ones are several."""


@dataclass(frozen=True, eq=False)
class Carriers:
    """The contacts of a support, whether they can hold a part back, and what of it lies on the plate."""

    grips: Grips
    pulls: bool
    feet: Bond
    corners: Floats
    """(c, 2): of the hull of its feet."""
    is_shared: bool

    def of_part(self, bounds: Floats) -> Longs:
        """The numbers of the contacts of one part with these bounds (2, 3): of a raft under several not all are."""
        if not self.is_shared:
            return np.arange(len(self.grips))
        low, high = bounds[0] - _NEAR_MM, bounds[1] + _NEAR_MM
        inside = (self.grips.places >= low).all(axis=1) & (self.grips.places <= high).all(axis=1)
        return np.flatnonzero(inside)


def cups_of(cells: AirCells | None) -> Cups:
    """The cups of a part; none where it bounds no solid."""
    return Cups() if cells is None else cells.cups


def _carriers(reader: Reader[Carriers]) -> Carriers:
    support, job, made = reader.subject, reader.job, reader.one(STRUCTURE)
    spec = spec_for(support.parameters)
    patches = spec.footprint(made)
    spots = Bond(np.column_stack([patches.middles, np.zeros(len(patches.areas))]), patches.areas)
    has_gap = isinstance(support.parameters, ContactParameters) and support.parameters.lift_mm(job.layer_height) < 0
    hull = shapely.get_coordinates(shapely.convex_hull(shapely.multipoints(patches.corners)))
    return Carriers(spec.grips(made), not has_gap, spots.coarse(_FOOT_MM, patches.pieces), hull, len(support.parts) > 1)


CARRIERS: Node[Carriers] = Node(
    "contacts that carry",
    "support",
    _carriers,
    ("support.parameters", "support.part_id", "support.others", "job.layer_height"),
    lambda support, job, near: ((STRUCTURE, support),),
)


def _of_part(part: Part, job: Job) -> tuple[Support, ...]:
    """All supports that carry a part, its own first."""
    return tuple(support for support in job.supports if part.id in support.parts)


def _statics_needs(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    own = (OVERHANGS, part), (OBSTACLE, part), (AIR_CELLS, part)
    return *own, *((CARRIERS, support) for support in _of_part(part, job))


def _statics_token(part: Part, job: Job, near: Neighbours) -> Hashable:
    return tuple(support.id for support in _of_part(part, job))


def _statics(reader: Reader[PartLoads]) -> PartLoads:
    job, overhangs, obstacle = reader.job, reader.one(OVERHANGS, 0, 0.1), reader.one(OBSTACLE)
    carriers = reader.each(CARRIERS, 0.1, 0.4)
    mine = [one.of_part(overhangs.mesh.bounds) for one in carriers]
    corners = np.concatenate([np.zeros((0, 2)), *(one.corners for one in carriers)])
    standing = Standing(
        overhangs, [one.grips.only(which) for one, which in zip(carriers, mine, strict=True)],
        [one.pulls for one in carriers], Bond.joined([Bond(), *(one.feet for one in carriers)]), obstacle.first_hits,
        lambda: cups_of(reader.one(AIR_CELLS, 0.4, 0.5)), corners,
    )  # fmt: skip
    actions = actions_of(job.machine, job.constants)
    statics = part_statics(standing, actions, reader.stretch(0.5, 1.0))
    loads = {
        name: _spread(some, which, len(one.grips))
        for name, some, which, one in zip(reader.token, statics.loads, mine, carriers, strict=True)
    }
    by_level = {
        name: _spread_by_level(some, which, len(one.grips))
        for name, some, which, one in zip(reader.token, statics.by_level, mine, carriers, strict=True)
    }
    return PartLoads(statics, loads, by_level, actions)


def _spread(loads: GripLoads, which: Longs, count: int) -> GripLoads:
    """The loads of some contacts among all of them; the others carry nothing."""
    if len(which) == count:
        return loads
    none = np.zeros(count)
    return GripLoads(none, none, none, none, none).with_rows(which, loads)


def _spread_by_level(loads: LevelLoads, which: Longs, count: int) -> LevelLoads:
    """The same of what some contacts carry level by level."""
    if len(which) == count:
        return loads
    spread = LevelLoads.none(loads.levels, count)
    rows, some = np.indices((len(loads.levels), len(which))).reshape(2, -1)
    spread.take(rows, which[some], *(part.reshape(-1) for part in (loads.pulls, loads.pushes, loads.sides, loads.used)))
    return spread


STATICS: Node[PartLoads] = Node("statics", "part", _statics, CONSTANTS, _statics_needs, _statics_token)


def _figures_needs(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    own = job.supports_of(part.id)
    return (STATICS, part), *((node, support) for node in (STRUCTURE, CARRIERS) for support in own)


def _figures_token(part: Part, job: Job, near: Neighbours) -> Hashable:
    own = job.supports_of(part.id)
    return tuple((support.id, support.family, support.parameters.form) for support in own)


def _figures(reader: Reader[dict[str, Any]]) -> dict[str, Any]:
    """What pulls on the part is carried by all its supports; each family has its own figures."""
    statics = reader.one(STATICS, 0, 0.8)
    return {
        name: spec_named(family, form).loads(made, carriers.grips, statics.loads[name], statics.actions)
        for (name, family, form), made, carriers in zip(
            reader.token, reader.each(STRUCTURE, 0.8, 0.9), reader.each(CARRIERS, 0.9, 1.0), strict=True
        )
    }


FIGURES: Node[dict[str, Any]] = Node("figures", "part", _figures, (), _figures_needs, _figures_token)


def _growth(reader: Reader[GrowthUse]) -> GrowthUse:
    """By the same figures, with what is carried at each level in place of the most of all."""
    statics = reader.one(STATICS, 0, 0.5)
    levels, used = statics.statics.plate_by_level[:, 0], {}
    for (name, family, form), made, carriers in zip(
        reader.token, reader.each(STRUCTURE), reader.each(CARRIERS), strict=True
    ):
        spec, loads, grips = spec_named(family, form), statics.by_level[name], carriers.grips
        levels = loads.levels
        each = [spec.loads(made, grips, loads.at(row), statics.actions) for row in range(len(loads))]
        places = each[0].places if each else np.zeros((0, 3))
        heights = places @ np.array(reader.job.machine.layer_normal)
        rows = np.stack([one.used for one in each]) if each else np.zeros((0, 0))
        # What is not reached yet is not used, though a blade or nozzle may push what already stands below it.
        used[name] = HoldUse(places, frozen(np.where(heights > levels[:, None] + _REACHED_MM, 0.0, rows)))
    return growth_use(levels, used, statics.statics.plate_by_level)


GROWTH: Node[GrowthUse] = Node("use by height", "part", _growth, ("job.machine",), _figures_needs, _figures_token)
