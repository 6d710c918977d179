"""Branches of trees, places where they may meet, and what a trunk under them has to be."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.supports.bars.parameters import BarParameters

NEIGHBOURS = 12
LEAST_STEP_MM = 0.3
_LEAST_TRUNK_MM = 0.6
_FOOT_TO_TIPS = 8.0
"""Least area of a trunk's foot over that of the tips it holds: assumed, several times what a plate's hold asks for."""


def least_height(parameters: BarParameters) -> float:
    """No branches meet lower than this above the plate, mm."""
    return parameters.foot_height + _LEAST_TRUNK_MM


def landed_feet(parameters: BarParameters, contacts: Longs) -> Floats:
    """(t,): radii of the lower ends of trunks that stand on a part: as large together as the tips they hold."""
    result: Floats = parameters.tip_diameter / 2 * np.sqrt(contacts)
    return result


def trunk_radii(parameters: BarParameters, contacts: Longs, lengths: Floats, alone: Floats) -> Floats:
    """(t,): the radius with which a trunk of a length is loaded no more than bars of length `alone` (t,) would be.

    Buckling: the capacity is as r⁴ / L² (Euler), so r grows with the fourth root of the load and the root of the
    length. Tension: the section must not fall below that of the tips it holds. Never thinner than a bar.
    """
    shaft, tip = parameters.shaft_diameter / 2, parameters.tip_diameter / 2
    buckling = shaft * contacts**0.25 * np.sqrt(np.clip(lengths / np.maximum(alone, 1e-9), 0, 1))
    result: Floats = np.maximum.reduce([buckling, tip * contacts**0.5, np.full(len(contacts), shaft)])
    return result


def trunk_feet(parameters: BarParameters, contacts: Longs, radii: Floats) -> Floats:
    """(t,): radii of feet: wider with the load, and always of several times the area of the tips they hold."""
    grown = parameters.foot_diameter / 2 * contacts**0.25
    tips = parameters.tip_diameter / 2 * np.sqrt(_FOOT_TO_TIPS * contacts)
    result: Floats = np.maximum.reduce([grown, tips, radii])
    return result


@dataclass
class Live:
    """Branches that may still join. Leaves come first; a trunk is added for each join.

    `lows` and `highs` (b, 2) bound the support points that each carries, in plan.
    """

    places: Floats
    limits: Floats
    contacts: Longs
    radii: Floats
    alone: Floats
    """Mean length of the bars that a branch carries, were each alone."""
    at_tips: Bools
    open: Bools
    below: Longs
    foot_radii: Floats
    lows: Floats
    highs: Floats
    grounds: Floats
    """(b,): the height at which each ends if it goes straight down: 0 on the plate, else on a floor of a part."""
    saved: float = 0.0
    """How much less all take up than single bars would, over π, mm³; feet apart."""


@dataclass(frozen=True, eq=False)
class Joins:
    """Branches that meet in one place each: the `members` (m,), the join (m,) of each, in order, `meet` (k, 3)."""

    members: Longs
    owners: Longs
    meet: Floats
    grounds: Floats
    """(k,): the height at which each trunk ends, 0 on the plate: until it is looked for, about."""

    @classmethod
    def of(cls, live: Live, members: Longs, owners: Longs, meet: Floats) -> Joins:
        """They end on the plate if a member does, else about as low as the lowest of them."""
        grounds = np.full(len(meet), np.inf)
        np.minimum.at(grounds, owners, live.grounds[members])
        return cls(members, owners, meet, np.where(np.isfinite(grounds), grounds, 0.0))

    def __len__(self) -> int:
        return len(self.meet)

    def only(self, which: Bools) -> Joins:
        """Some of them."""
        kept = which[self.owners]
        return Joins(
            self.members[kept], (np.cumsum(which) - 1)[self.owners[kept]], self.meet[which], self.grounds[which]
        )

    def sums(self, values: Floats) -> Floats:
        """(k,): of values (m,) of members."""
        return np.bincount(self.owners, values, len(self)).astype(np.float64)

    def contacts(self, live: Live) -> Longs:
        """(k,): support points that each would carry."""
        return np.round(self.sums(live.contacts[self.members].astype(float))).astype(np.int64)

    def alone(self, live: Live) -> Floats:
        """(k,): mean length of the bars that each would carry, were each alone."""
        carried = self.sums(live.contacts[self.members] * live.alone[self.members])
        result: Floats = carried / np.maximum(self.contacts(live), 1)
        return result

    def trunks(self, live: Live, parameters: BarParameters) -> Floats:
        """(k,): the radius of the trunk under each."""
        return trunk_radii(parameters, self.contacts(live), self.meet[:, 2] - self.grounds, self.alone(live))

    def saved(self, live: Live, parameters: BarParameters) -> Floats:
        """(k,): how much less all members take up when they join, over π, mm³; feet apart."""
        places, areas = live.places[self.members], live.radii[self.members] ** 2
        leans = np.linalg.norm(places - self.meet[self.owners], axis=1)
        joint = self.trunks(live, parameters) ** 2
        alone = places[:, 2] - live.grounds[self.members]
        result: Floats = self.sums(areas * (alone - leans)) - joint * (self.meet[:, 2] - self.grounds)
        return result

    def reach(self, live: Live) -> Floats:
        """(k,): how far from it, in plan, the farthest corner of what each carries is."""
        at = self.meet[self.owners, :2]
        corner = np.maximum(np.abs(at - live.lows[self.members]), np.abs(live.highs[self.members] - at))
        result = np.zeros(len(self))
        np.maximum.at(result, self.owners, np.hypot(corner[:, 0], corner[:, 1]))
        return result


def pairs_of(live: Live, one: Longs, other: Longs, meet: Floats) -> Joins:
    """Joins of two branches each."""
    return Joins.of(live, np.column_stack([one, other]).reshape(-1), np.repeat(np.arange(len(one)), 2), meet)
