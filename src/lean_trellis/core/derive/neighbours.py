"""Which parts of a job are near each other: boxes taken once a revision, compared all at once."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

import numpy as np
from cachetools import LRUCache

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.parts.part import Part
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.strength.actions import constant_of
from lean_trellis.core.supports.common.spec import Surroundings, spec_of
from lean_trellis.core.supports.common.support import Support

_boxes: LRUCache[tuple[str, object], Floats] = LRUCache(4096)


def box_of(part: Part) -> Floats:
    """(2, 3): the part's box in its pose, kept by mesh and pose."""
    key = (part.mesh.key, part.pose)
    known = _boxes.get(key)
    if known is None:
        known = _boxes[key] = part.bounds()
    return known


def _within(boxes: Floats, low: Floats, high: Floats, reach: float) -> Bools:
    """(n,): boxes (n, 2, 2) that come within a reach of one."""
    near: Bools = np.all((boxes[:, 0] <= high + reach) & (boxes[:, 1] >= low - reach), axis=1)
    return near


def _by_what_it_is(part: Part) -> tuple[object, ...]:
    """An order that does not follow from that of adding: supports of copies have the same neighbours."""
    pose = part.pose
    return part.mesh.key, pose.x, pose.y, pose.build_offset, pose.rotation


class Neighbours:
    """The neighbourhoods of one job."""

    def __init__(self, job: Job) -> None:
        self._job = job
        self._reach: dict[str, float] = {}

    @cached_property
    def _places(self) -> dict[str, int]:
        return {part.id: place for place, part in enumerate(self._job.parts)}

    @cached_property
    def _boxes(self) -> Floats:
        """(n, 2, 2): boxes of all parts in plan."""
        return np.array([box_of(part)[:, :2] for part in self._job.parts]).reshape(-1, 2, 2)

    @cached_property
    def _apart(self) -> float:
        """How far apart parts have to be, mm."""
        return constant_of(self._constants, "part_gap").value

    @cached_property
    def _grown(self) -> Floats:
        """(n, 2, 2): the boxes, each grown by how far its part's supports reach."""
        reach = np.full(len(self._job.parts), self._apart / 2)
        for support in self._job.supports:
            for part_id in support.parts:
                if part_id in self._places:
                    place = self._places[part_id]
                    reach[place] = max(reach[place], self.reach_of(support))
        return self._boxes + np.array([[-1.0], [1.0]])[None] * reach[:, None, None]

    @cached_property
    def _pairs(self) -> Bools:
        """(n, n): whether two parts could meet, their supports taken along."""
        low, high = self._grown[:, 0], self._grown[:, 1]
        result: Bools = np.all((low[:, None] <= high[None]) & (low[None] <= high[:, None]), axis=2)
        return result

    @cached_property
    def _clusters(self) -> Longs:
        """(n,): which parts are connected through neighbours of neighbours."""
        return components_of(len(self._job.parts), *np.nonzero(self._pairs))

    def reach_of(self, support: Support) -> float:
        """How far beyond its part's box a support may reach, mm."""
        if support.id not in self._reach:
            self._reach[support.id] = self._measured(support, self._job.part(support.part_id))
        return self._reach[support.id]

    def _measured(self, support: Support, own: Part) -> float:
        around = Surroundings(box_of(own), self._constants, self._job.machine.process)
        return spec_of(support).reach_mm(support, around)

    @cached_property
    def _constants(self) -> Mapping[str, Constant]:
        return self._job.constants

    def part(self, part_id: str) -> Part:
        """The part of that id, found at once."""
        return self._job.parts[self._places[part_id]]

    def of_support(self, support: Support) -> tuple[Part, ...]:
        """The support's own part, then every other that it could meet."""
        own = self._places[support.part_id]
        if id(support) in self._own:
            near = self._near_supports[support.id]
        else:  # one that is tried out
            low, high = self._boxes[own]
            near = _within(self._boxes, low, high, self._measured(support, self._job.parts[own]))
        parts, order = self._job.parts, self._order
        return (parts[own], *[parts[place] for place in order[near[order]].tolist() if place != own])

    @cached_property
    def _own(self) -> frozenset[int]:
        """The supports of the job, by identity."""
        return frozenset(id(support) for support in self._job.supports)

    @cached_property
    def _order(self) -> Longs:
        """(n,): all parts in an order that does not follow from that of adding."""
        parts = self._job.parts
        return np.array(sorted(range(len(parts)), key=lambda place: _by_what_it_is(parts[place])), np.int64)

    @cached_property
    def _near_supports(self) -> dict[str, Bools]:
        """For each support (n,): which parts' boxes are within its reach."""
        supports, boxes = self._job.supports, self._boxes
        own = boxes[[self._places[support.part_id] for support in supports]]
        reach = np.array([self.reach_of(support) for support in supports])[:, None]
        near = np.ones((len(supports), len(boxes)), bool)
        for axis in (0, 1):
            near &= boxes[:, 0, axis] <= own[:, 1, axis, None] + reach
            near &= boxes[:, 1, axis] >= own[:, 0, axis, None] - reach
        return {support.id: row for support, row in zip(supports, near, strict=True)}

    def of_part(self, part: Part) -> tuple[Part, ...]:
        """The part, and every other that could meet it or its supports with its own."""
        return self._in_order(part, self._pairs[self._places[part.id]])

    def cluster_of(self, part: Part) -> tuple[Part, ...]:
        """The part, and every other that is connected to it through neighbours of neighbours."""
        return self._in_order(part, self._clusters == self._clusters[self._places[part.id]])

    def _in_order(self, part: Part, chosen: Bools) -> tuple[Part, ...]:
        return tuple(self._job.parts[place] for place in np.flatnonzero(chosen).tolist())
