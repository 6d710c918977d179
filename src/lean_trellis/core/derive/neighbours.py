"""Which parts of a job are near each other: boxes taken once a revision, compared all at once."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property

import numpy as np
from cachetools import LRUCache
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from lean_trellis.core.arrays import Bools, Floats
from lean_trellis.core.job.job import Job
from lean_trellis.core.parts.part import Part
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.supports.common.spec import Surroundings, spec_of
from lean_trellis.core.supports.common.support import Support

_boxes: LRUCache[tuple[str, object], Floats] = LRUCache(4096)


def box_of(part: Part) -> Floats:
    """(2, 3): the part's box as it stands, kept by mesh and pose."""
    key = (part.mesh.key, part.pose)
    known = _boxes.get(key)
    if known is None:
        known = _boxes[key] = part.bounds()
    return known


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
    def _grown(self) -> Floats:
        """(n, 2, 2): the boxes, each grown by how far its part's supports reach."""
        reach = np.zeros(len(self._job.parts))
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
    def _clusters(self) -> np.ndarray:
        """(n,): which parts are connected through neighbours of neighbours."""
        if not len(self._job.parts):
            return np.zeros(0, int)
        labels: np.ndarray = connected_components(coo_array(self._pairs), directed=False)[1]
        return labels

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

    def of_support(self, support: Support) -> tuple[Part, ...]:
        """The support's own part, then every other that it could meet."""
        own = self._job.part(support.part_id)
        low, high = box_of(own)[:, :2]
        reach = self._measured(support, own)
        near = (self._boxes[:, 0] <= high + reach).all(axis=1) & (self._boxes[:, 1] >= low - reach).all(axis=1)
        chosen = [self._job.parts[place] for place in np.flatnonzero(near).tolist()]
        others = [part for part in chosen if part.id != own.id]
        return (own, *sorted(others, key=_by_what_it_is))

    def of_part(self, part: Part) -> tuple[Part, ...]:
        """The part, and every other that could meet it or its supports with its own."""
        return self._in_order(part, self._pairs[self._places[part.id]])

    def cluster_of(self, part: Part) -> tuple[Part, ...]:
        """The part, and every other that is connected to it through neighbours of neighbours."""
        return self._in_order(part, self._clusters == self._clusters[self._places[part.id]])

    def _in_order(self, part: Part, chosen: Bools) -> tuple[Part, ...]:
        return tuple(self._job.parts[place] for place in np.flatnonzero(chosen).tolist())
