"""Joining bars into trees: from the top down, two lean together where their reach first meets, and go on as one trunk.

Each live branch has a downward cone whose half-angle is the lean limit. Of neighbours those whose cones meet highest
join, if both ways there and the trunk's way straight down from there are free, the trunk carries no more than it may,
and material is saved. All pairs of a round are looked at together; rounds go on until none joins.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bars.clearing import Stretches, too_near
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.common.obstacle import Ground, Obstacle, clearances, drops_round

_NEIGHBOURS = 12
_LEAST_STEP_MM = 0.3
_LEAST_TRUNK_MM = 0.6
_MOST_ROUNDS = 60
_FOOT_TO_TIPS = 8.0
"""Least area of a trunk's foot over that of the tips it holds: assumed, several times what a plate's hold asks for."""


@dataclass(frozen=True, eq=False)
class Trees:
    """How bars join: the trunk (n,) on which each stands, -1 where it stays alone.

    Of the trunks: `tops` (t, 3), the trunk `below` each (t,), -1 for the plate, the `contacts` that each carries (t,),
    their `radii` (t,), and the radius that the foot of each has room for (t,).
    """

    trunk_of_bar: Longs
    tops: Floats
    below: Longs
    contacts: Longs
    radii: Floats
    foot_radii: Floats


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
class _Live:
    """Branches that may still join. Leaves come first; a trunk is added for each join."""

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


@dataclass(frozen=True, eq=False)
class _Pairs(Rows):
    one: Longs
    other: Longs
    meet: Floats

    def contacts(self, live: _Live) -> Longs:
        return live.contacts[self.one] + live.contacts[self.other]

    def alone(self, live: _Live) -> Floats:
        carried = [live.contacts[which] * live.alone[which] for which in (self.one, self.other)]
        result: Floats = (carried[0] + carried[1]) / self.contacts(live)
        return result

    def trunks(self, live: _Live, parameters: BarParameters) -> Floats:
        return trunk_radii(parameters, self.contacts(live), self.meet[:, 2], self.alone(live))


def join_into_trees(
    bases: Floats,
    hold_heights: Floats,
    at_tips: Bools,
    parameters: BarParameters,
    obstacles: Sequence[Obstacle],
    ground: Ground | None,
    watch: Watch = UNWATCHED,
    *,
    beside: Stretches | None = None,
) -> Trees:
    """Join bars that stand on the plate.

    `bases` (n, 3) are where each begins to go straight down: the lower end of its tip, or its bend; `hold_heights` (n,)
    those of the support points, `at_tips` (n,) whether it is a tip, which has to come near the part. `beside` is what
    stays as it is, of the bars themselves (with their numbers) and of others (-1): trees keep clear of it.
    """
    beside = Stretches() if beside is None else beside
    count = len(bases)
    live = _Live(
        bases.copy(),
        np.minimum(hold_heights - parameters.first_join_below, bases[:, 2]),
        np.ones(count, np.int64),
        np.full(count, parameters.shaft_diameter / 2),
        bases[:, 2].copy(),
        at_tips.copy(),
        np.ones(count, bool),
        np.full(count, -1, np.int64),
        np.full(count, parameters.foot_diameter / 2),
    )
    refused = np.zeros(0, np.int64)
    for round_number in range(_MOST_ROUNDS):
        watch.at(min(0.95, round_number / 20), f"joining {int(live.open.sum()):,} bars")
        pairs = _chosen(_possible(live, parameters), live, refused)
        if not len(pairs.one):
            break
        free, feet = _are_free(pairs, live, parameters, obstacles, ground)
        free[free] = _are_clear(pairs.only(free), live, parameters, beside)
        refused = np.append(refused, _key(pairs.only(~free)))
        _join(live, pairs.only(free), feet[free], parameters)
    below = np.where(live.below >= 0, live.below - count, -1)
    return Trees(
        below[:count], live.places[count:], below[count:], live.contacts[count:], live.radii[count:],
        live.foot_radii[count:],
    )  # fmt: skip


def _key(pairs: _Pairs) -> Longs:
    return pairs.one * (1 << 31) + pairs.other


def _possible(live: _Live, parameters: BarParameters) -> _Pairs:
    """Neighbours that could join, with the place where they would meet: the highest there is."""
    some = np.flatnonzero(live.open)
    slope = np.tan(np.radians(parameters.lean_limit))
    if len(some) < 2 or slope < 1e-3:
        return _Pairs(some[:0], some[:0], np.zeros((0, 3)))
    known = min(_NEIGHBOURS, len(some))
    _, near = cKDTree(live.places[some, :2]).query(live.places[some, :2], k=known)
    one = np.repeat(some, known - 1)
    other = some[near[:, 1:].reshape(-1)]
    swapped = one > other
    one, other = np.where(swapped, other, one), np.where(swapped, one, other)
    both = np.unique(np.column_stack([one, other])[one != other], axis=0)
    pairs = _Pairs(both[:, 0], both[:, 1], _meeting(live, both[:, 0], both[:, 1], slope))
    contacts = pairs.contacts(live)
    least = parameters.foot_height + _LEAST_TRUNK_MM
    pairs = pairs.only((contacts <= parameters.contacts_per_trunk) & (pairs.meet[:, 2] > least))
    return pairs.only(_saved(pairs, live, parameters) > 0)


def _meeting(live: _Live, one: Longs, other: Longs, slope: float) -> Floats:
    """(k, 3): the highest place in both cones, no higher than the first join may be."""
    a, b = live.places[one], live.places[other]
    apart = np.hypot(*(b - a)[:, :2].T)
    z = np.minimum.reduce([
        (a[:, 2] + b[:, 2] - apart / slope) / 2,
        a[:, 2] - _LEAST_STEP_MM, b[:, 2] - _LEAST_STEP_MM,
        live.limits[one], live.limits[other],
    ])  # fmt: skip
    reach_a, reach_b = a[:, 2] - z, b[:, 2] - z
    share = reach_a / np.maximum(reach_a + reach_b, 1e-9)
    # Where one stands within the other's cone, the other leans over to it and it goes on straight.
    share = np.clip(share, 1 - np.minimum(reach_b * slope / np.maximum(apart, 1e-9), 1), 1)
    share = np.minimum(share, reach_a * slope / np.maximum(apart, 1e-9))
    return np.column_stack([a[:, :2] + share[:, None] * (b - a)[:, :2], z])


def _saved(pairs: _Pairs, live: _Live, parameters: BarParameters) -> Floats:
    """(k,): how much less the two take up when they join, over π, mm³; feet apart."""
    a, b = live.places[pairs.one], live.places[pairs.other]
    areas = [live.radii[which] ** 2 for which in (pairs.one, pairs.other)]
    joint = pairs.trunks(live, parameters) ** 2
    before = areas[0] * a[:, 2] + areas[1] * b[:, 2]
    after = areas[0] * np.linalg.norm(a - pairs.meet, axis=1) + areas[1] * np.linalg.norm(b - pairs.meet, axis=1)
    result: Floats = before - after - joint * pairs.meet[:, 2]
    return result


def _chosen(pairs: _Pairs, live: _Live, refused: Longs) -> _Pairs:
    """Pairs none of which shares a branch, those that meet highest first."""
    pairs = pairs.only(~np.isin(_key(pairs), refused))
    order = np.lexsort((pairs.other, pairs.one, -np.round(pairs.meet[:, 2], 6)))
    taken = np.zeros(len(live.places), bool)
    kept = []
    for number, one, other in zip(order.tolist(), pairs.one[order].tolist(), pairs.other[order].tolist(), strict=True):
        if not (taken[one] or taken[other]):
            taken[one] = taken[other] = True
            kept.append(number)
    return pairs.only(np.array(kept, np.int64))


def _are_free(
    pairs: _Pairs, live: _Live, parameters: BarParameters, obstacles: Sequence[Obstacle], ground: Ground | None
) -> tuple[Bools, Floats]:
    """(k,): whether both branches and the trunk under them are clear of all parts; the room for the trunk's foot."""
    gap = parameters.part_clearance
    trunk = pairs.trunks(live, parameters)
    wanted = trunk_feet(parameters, pairs.contacts(live), trunk)
    free = drops_round(obstacles, pairs.meet, 0.9 * float(trunk.max(initial=0.1)) + gap) >= pairs.meet[:, 2] - 1e-6
    if ground is not None:
        free &= ground.holds(pairs.meet[:, :2], float(trunk.max(initial=0.1)))
    some = np.flatnonzero(free)
    few = pairs.only(some)
    meet, count = few.meet, len(some)
    starts, stops, reach = [meet], [meet * [1, 1, 0]], [trunk[some] + gap]
    for which in (few.one, few.other):
        radius = live.radii[which]
        step = meet - live.places[which]
        length = np.maximum(np.linalg.norm(step, axis=1), 1e-9)
        trim = np.where(live.at_tips[which], np.minimum((radius + gap) / length, 0.5), 0)[:, None]
        starts.append(live.places[which] + trim * step)
        stops.append(meet)
        reach.append(radius + gap)
    top = parameters.foot_height
    starts.append(meet * [1, 1, 0])
    stops.append(meet * [1, 1, 0] + [0, 0, top])
    reach.append(wanted[some] + parameters.foot_flare + gap)
    search = np.concatenate(reach)
    away = clearances(obstacles, np.concatenate(starts), np.concatenate(stops), search)
    ways, feet = away[: 3 * count].reshape(3, count), away[3 * count :]
    clear = np.logical_and.reduce(ways >= search[: 3 * count].reshape(3, count) - 1e-6, axis=0)
    feet = np.clip(feet - gap - parameters.foot_flare, 0, wanted[some])
    clear &= feet >= trunk[some] - 1e-9
    room = np.zeros(len(pairs.one))
    room[some] = feet
    free[some] = clear
    return free, room


def _are_clear(pairs: _Pairs, live: _Live, parameters: BarParameters, beside: Stretches) -> Bools:
    """(k,): whether both branches and the trunk of each keep clear of all others, earlier ones of these among them."""
    count = len(pairs.one)
    clear = np.ones(count, bool)
    if parameters.bar_clearance is None or not count:
        return clear
    ends = np.column_stack([pairs.one, pairs.other])
    number = np.arange(count)
    fresh = Stretches(
        np.concatenate([live.places[pairs.one], live.places[pairs.other], pairs.meet]),
        np.concatenate([pairs.meet, pairs.meet, pairs.meet * [1, 1, 0]]),
        np.concatenate([live.radii[pairs.one], live.radii[pairs.other], pairs.trunks(live, parameters)]),
        np.tile(number, 3),
        np.zeros(3 * count, bool),
    )
    side = np.repeat([0, 1, 2], count)
    standing = Stretches.joined([_as_they_are(live), beside])
    met = too_near(fresh, standing, parameters.bar_clearance)
    pair, part, other = fresh.owners[met[:, 0]], side[met[:, 0]], standing.owners[met[:, 1]]
    own = (ends[pair] == other[:, None]).any(axis=1)
    # What joined where a branch begins comes near it there, as it is meant to.
    below = np.append(live.below, -2)[other]
    own |= (part < 2) & (below == ends[pair, np.minimum(part, 1)])
    clear[pair[~own]] = False
    between = fresh.owners[too_near(fresh, fresh, parameters.bar_clearance)]
    for earlier, later in np.unique(between[between[:, 0] < between[:, 1]], axis=0).tolist():
        if clear[earlier]:
            clear[later] = False
    return clear


def _as_they_are(live: _Live) -> Stretches:
    """All branches: open ones go straight down to the plate, the others to where they joined."""
    stops = np.where(live.open[:, None], live.places * [1, 1, 0], live.places[live.below])
    count = len(live.places)
    return Stretches(live.places, stops, live.radii, np.arange(count), np.zeros(count, bool))


def _join(live: _Live, pairs: _Pairs, feet: Floats, parameters: BarParameters) -> None:
    """Each pair becomes a trunk that may join on."""
    radii, alone, contacts = pairs.trunks(live, parameters), pairs.alone(live), pairs.contacts(live)
    first, count = len(live.places), len(pairs.one)
    for which in (pairs.one, pairs.other):
        live.open[which] = False
        live.below[which] = first + np.arange(count)
    live.places = np.concatenate([live.places, pairs.meet])
    live.limits = np.append(live.limits, pairs.meet[:, 2])
    live.contacts = np.append(live.contacts, contacts)
    live.radii, live.alone = np.append(live.radii, radii), np.append(live.alone, alone)
    live.at_tips = np.append(live.at_tips, np.zeros(count, bool))
    live.open = np.append(live.open, np.ones(count, bool))
    live.below = np.append(live.below, np.full(count, -1))
    live.foot_radii = np.append(live.foot_radii, feet)
