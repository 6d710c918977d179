"""Bars that keep clear of each other: which straight stretches come nearer than they may, by arrays.

Boxes in plan sort out most pairs, heights more; what is left is measured exactly.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from shapely import STRtree

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows, distinct_pairs
from lean_trellis.core.mesh.distance import segment_segment_distances
from lean_trellis.core.mesh.plan_grid import plan_boxes

_SPARE_MM = 1e-6


@dataclass(frozen=True, eq=False)
class Stretches(Rows):
    """Straight stretches of struts: `starts`, `stops` (k, 3), `radii` (k,), and the strut that each belongs to.

    Where `is_tip` (k,) a strut narrows to its tip: tips may meet each other, as places that they hold may.
    """

    starts: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    stops: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    radii: Floats = field(default_factory=lambda: np.zeros(0))
    owners: Longs = field(default_factory=lambda: np.zeros(0, np.int64))
    is_tip: Bools = field(default_factory=lambda: np.zeros(0, bool))

    def __len__(self) -> int:
        return len(self.radii)

    @cached_property
    def plan_tree(self) -> STRtree:
        """Of the boxes round their middle lines in plan; several ask for it."""
        return STRtree(_plan_boxes(self, np.zeros(len(self))))

    @classmethod
    def straight(cls, starts: Floats, stops: Floats, radii: Floats, owners: Longs | None = None) -> Stretches:
        """Stretches without tips, each a strut of its own without `owners` (k,)."""
        count = len(radii)
        return cls(starts, stops, radii, np.arange(count) if owners is None else owners, np.zeros(count, bool))


def stretches_of(
    necks: Floats, bases: Floats, bends: Floats, bottoms: Floats, tips: Floats, shafts: Floats, owners: Longs
) -> Stretches:
    """Tips and both stretches of shafts of bars whose ways go over these places, all (n, 3), with radii (n,)."""
    count = len(owners)
    middles = (necks + bases) / 2
    return Stretches(
        np.concatenate([bases, bends, middles]),
        np.concatenate([bends, bottoms, bases]),
        np.concatenate([shafts, shafts, np.maximum((tips + shafts) / 2, tips)]),
        np.tile(owners, 3),
        np.repeat([False, False, True], count),
    )


def too_near(some: Stretches, others: Stretches, clearance: float) -> Longs:
    """(p, 2): pairs of a stretch of one and a stretch of the other that are within the clearance, tips apart."""
    return _near_pairs(some, others, clearance, *_in_reach(some, others, clearance))


def too_near_each_other(some: Stretches, clearance: float) -> Longs:
    """(p, 2): as `too_near` of pairs among some stretches, each once."""
    one, other = _in_reach(some, some, clearance)
    once = one < other
    return _near_pairs(some, some, clearance, one[once], other[once])


def _in_reach(some: Stretches, others: Stretches, clearance: float) -> tuple[Longs, Longs]:
    """(p,), (p,): pairs of a stretch of one and of the other that may be within the clearance, by boxes in plan."""
    if not len(some) or not len(others):
        return np.zeros(0, np.int64), np.zeros(0, np.int64)
    reach = clearance + float(others.radii.max())
    one, other = others.plan_tree.query(_plan_boxes(some, some.radii + reach))
    return one, other


def _near_pairs(some: Stretches, others: Stretches, clearance: float, one: Longs, other: Longs) -> Longs:
    """Of pairs those that are within the clearance, tips apart."""
    least = some.radii[one] + others.radii[other] + clearance
    (low, high), (their_low, their_high) = (_heights(which, at) for which, at in ((some, one), (others, other)))
    apart = np.maximum(low - their_high, their_low - high)
    # Rings are level: one that ends above where another begins is no nearer than that, whatever its width.
    may = (apart < clearance - _SPARE_MM) & ~(some.is_tip[one] & others.is_tip[other])
    one, other, least = one[may], other[may], least[may]
    away = segment_segment_distances(some.starts[one], some.stops[one], others.starts[other], others.stops[other])
    near = away < least - _SPARE_MM
    return np.column_stack([one[near], other[near]])


def _heights(some: Stretches, which: Longs) -> tuple[Floats, Floats]:
    ends = np.stack([some.starts[which, 2], some.stops[which, 2]])
    return ends.min(axis=0), ends.max(axis=0)


def _plan_boxes(some: Stretches, wider: Floats) -> np.ndarray:
    low, high = (end(some.starts, some.stops)[:, :2] for end in (np.minimum, np.maximum))
    return plan_boxes(low - wider[:, None], high + wider[:, None])


def crowded(some: Stretches, taken: Stretches, clearance: float, order: Longs) -> Bools:
    """(n,): of the struts that `order` (k,) names, first come first: those too near to what is taken, or to an earlier.

    Owners of `some` are numbers below n; of those not named nothing is looked at. n is one more than the largest.
    """
    count = int(order.max(initial=-1)) + 1
    gives_way = np.zeros(count, bool)
    near = too_near(some, taken, clearance)
    gives_way[some.owners[near[:, 0]]] = True
    pairs = some.owners[too_near_each_other(some, clearance)]
    rank = np.zeros(count, np.int64)
    rank[order] = np.arange(len(order))
    stands = ~gives_way[order]
    first_come(rank[pairs], stands)
    gives_way[order] = ~stands
    return gives_way


def first_come(pairs: Longs, stands: Bools) -> None:
    """Of pairs (p, 2) that cannot both stand the later gives way to the earlier, if that `stands` (n,) itself."""
    pairs = np.sort(pairs, axis=1)
    for earlier, later in zip(*pairs[distinct_pairs(*pairs.T)].T.tolist(), strict=True):
        if stands[earlier] and earlier != later:
            stands[later] = False
