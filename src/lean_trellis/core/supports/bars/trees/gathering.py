"""Gathering: which branches meet in one place, several at a time."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.trees.branches import LEAST_STEP_MM, NEIGHBOURS, Joins, Live, least_height

_TURNS_TO_MIDDLE = 6


def gathered(live: Live, parameters: BarParameters, most: int) -> Joins:
    """Groups of open branches that carry no more than `most` support points each, and where all of a group meet.

    The nearest come together first, as long as that saves material and all may lean to where they meet.
    """
    some = np.flatnonzero(live.open)
    slope = np.tan(np.radians(parameters.lean_limit))
    nothing = Joins.of(live, some[:0], some[:0], np.zeros((0, 3)))
    if len(some) < 2 or slope < 1e-3 or most < 2:
        return nothing
    known = min(NEIGHBOURS, len(some))
    away, near = place_tree(live.places[some, :2]).query(live.places[some, :2], k=known)
    one, other = np.repeat(np.arange(len(some)), known - 1), near[:, 1:].reshape(-1)
    order = np.lexsort((other, one, np.round(away[:, 1:].reshape(-1), 6)))
    groups = {number: _Group.of(live, some[[number]], slope, parameters) for number in range(len(some))}
    home = np.arange(len(some))
    for a, b in zip(home[one[order]].tolist(), other[order].tolist(), strict=True):
        mine, theirs = int(home[a]), int(home[b])
        if mine == theirs or groups[mine].contacts + groups[theirs].contacts > most:
            continue
        both = _Group.of(live, np.concatenate([groups[mine].members, groups[theirs].members]), slope, parameters)
        if both.saved > groups[mine].saved + groups[theirs].saved + 1e-9:
            groups[mine] = both
            home[home == theirs] = mine
            del groups[theirs]
    kept = [group for group in groups.values() if len(group.members) > 1]
    if not kept:
        return nothing
    counts = [len(group.members) for group in kept]
    return Joins.of(
        live, np.concatenate([group.members for group in kept]), np.repeat(np.arange(len(kept)), counts),
        np.array([group.meet for group in kept]),
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Group:
    """Branches that could meet in one place; what is saved (over π, mm³) is below 0 where they could not."""

    members: Longs
    contacts: int
    meet: Floats
    saved: float

    @classmethod
    def of(cls, live: Live, members: Longs, slope: float, parameters: BarParameters) -> _Group:
        contacts = int(live.contacts[members].sum())
        places = live.places[members]
        if len(members) == 1:
            return cls(members, contacts, places[0], 0.0)
        # The middle of those that lie lowest for their distance is where all can lean to soonest.
        at = places[:, :2].mean(axis=0)
        for turn in range(_TURNS_TO_MIDDLE):
            out = np.hypot(*(places[:, :2] - at).T)
            worst = int((places[:, 2] - out / slope).argmin())
            at = at + (places[worst, :2] - at) * (0.5 / (turn + 2))
        out = np.hypot(*(places[:, :2] - at).T)
        z = min(float((places[:, 2] - np.maximum(out / slope, LEAST_STEP_MM)).min()), float(live.limits[members].min()))
        joins = Joins.of(live, members, np.zeros(len(members), np.int64), np.array([[*at, z]]))
        far = parameters.gather_within is not None and joins.reach(live)[0] > parameters.gather_within
        if far or z - joins.grounds[0] <= least_height(parameters):
            return cls(members, contacts, joins.meet[0], -np.inf)
        return cls(members, contacts, joins.meet[0], float(joins.saved(live, parameters)[0]))
