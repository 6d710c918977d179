"""Joining bars into trees: from the top down, two lean together where their reach first meets, and go on as one trunk.

Each live branch has a downward cone whose half-angle is the lean limit. Of neighbours those whose cones meet highest
join, if both ways there and the trunk's way straight down from there are free, the trunk carries no more than it may,
and material is saved. All pairs of a round are looked at together; rounds go on until none joins.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bars.branches import (
    LEAST_STEP_MM,
    NEIGHBOURS,
    Joins,
    Live,
    landed_feet,
    least_height,
    pairs_of,
    trunk_feet,
)
from lean_trellis.core.supports.bars.clearing import Stretches, first_come, too_near
from lean_trellis.core.supports.bars.gathering import gathered
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.upright import LEVEL, LayerLean
from lean_trellis.core.supports.common.obstacle import DOWN, Ground, Obstacle, clearances, drops_round, nearest_hits
from lean_trellis.core.supports.common.solids import polygon_share

_MOST_ROUNDS = 60
_LEVEL_MM, _RIM_PLACES = 0.02, 12
"""Trunks land on floors that are level to within this under their whole foot."""


@dataclass(frozen=True, eq=False)
class Trees:
    """How bars join: the trunk (n,) on which each stands, -1 where it stays alone.

    Of the trunks: `tops` (t, 3), the trunk `below` each (t,), -1 for none, the `contacts` that each carries (t,), their
    `radii` (t,), the radius that the foot of each has room for (t,), and the height of the floor on which it stands
    (t,), 0 on the plate.
    """

    trunk_of_bar: Longs
    tops: Floats
    below: Longs
    contacts: Longs
    radii: Floats
    foot_radii: Floats
    grounds: Floats
    saved_mm3: float
    """How much less material all take than single bars of the same strength would; feet apart."""


def join_into_trees(
    bases: Floats,
    holds: Floats,
    at_tips: Bools,
    parameters: BarParameters,
    obstacles: Sequence[Obstacle],
    ground: Ground | None,
    watch: Watch = UNWATCHED,
    *,
    beside: Stretches | None = None,
    layers: LayerLean = LEVEL,
    grounds: Floats | None = None,
) -> Trees:
    """Join bars that stand on the plate, or on floors of a part at heights `grounds` (n,).

    `bases` (n, 3) are where each begins to go straight down: the lower end of its tip, or its bend; `holds` (n, 3) the
    support points, `at_tips` (n,) whether it is a tip, which has to come near the part. `beside` is what stays as it
    is, of the bars themselves (with their numbers) and of others (-1): trees keep clear of it.
    """
    site = JoinSite(parameters, obstacles, ground, Stretches() if beside is None else beside, layers)
    count = len(bases)
    grounds = np.zeros(count) if grounds is None else grounds
    live = Live(
        bases.copy(),
        np.minimum(holds[:, 2] - parameters.first_join_below, bases[:, 2]),
        np.ones(count, np.int64),
        np.full(count, parameters.shaft_diameter / 2),
        bases[:, 2] - grounds,
        at_tips.copy(),
        np.ones(count, bool),
        np.full(count, -1, np.int64),
        np.full(count, parameters.foot_diameter / 2),
        holds[:, :2].copy(),
        holds[:, :2].copy(),
        grounds.copy(),
    )
    if parameters.join_levels is None:
        _join_in_pairs(live, site, watch)
    else:
        for level in range(1, parameters.join_levels + 1):
            watch.at(0.9 * level / parameters.join_levels, f"joining {int(live.open.sum()):,} bars")
            most = parameters.contacts_per_trunk ** (level / parameters.join_levels)
            join(live, site, gathered(live, parameters, int(np.ceil(most - 1e-9))))
    below = np.where(live.below >= 0, live.below - count, -1)
    return Trees(
        below[:count], live.places[count:], below[count:], live.contacts[count:], live.radii[count:],
        live.foot_radii[count:], live.grounds[count:], polygon_share(parameters.sides) * live.saved,
    )  # fmt: skip


def _join_in_pairs(live: Live, site: JoinSite, watch: Watch) -> None:
    """Two at a time, those that meet highest first, until none joins."""
    refused = np.zeros(0, np.int64)
    for round_number in range(_MOST_ROUNDS):
        watch.at(min(0.95, round_number / 20), f"joining {int(live.open.sum()):,} bars")
        pairs = _chosen(_possible(live, site.parameters), live, refused)
        if not len(pairs):
            break
        refused = np.append(refused, _key(pairs)[~join(live, site, pairs)])


def _key(pairs: Joins) -> Longs:
    return pairs.members[::2] * (1 << 31) + pairs.members[1::2]


def _possible(live: Live, parameters: BarParameters) -> Joins:
    """Neighbours that could join, with the place where they would meet: the highest there is."""
    some = np.flatnonzero(live.open)
    slope = np.tan(np.radians(parameters.lean_limit))
    if len(some) < 2 or slope < 1e-3:
        return pairs_of(some[:0], some[:0], np.zeros((0, 3)))
    known = min(NEIGHBOURS, len(some))
    _, near = place_tree(live.places[some, :2]).query(live.places[some, :2], k=known)
    one = np.repeat(some, known - 1)
    other = some[near[:, 1:].reshape(-1)]
    swapped = one > other
    one, other = np.where(swapped, other, one), np.where(swapped, one, other)
    both = np.unique(np.column_stack([one, other])[one != other], axis=0)
    pairs = pairs_of(both[:, 0], both[:, 1], _meeting(live, both[:, 0], both[:, 1], slope))
    may = (pairs.contacts(live) <= parameters.contacts_per_trunk) & (
        pairs.meet[:, 2] - pairs.grounds(live) > least_height(parameters)
    )
    if parameters.gather_within is not None:
        may &= pairs.reach(live) <= parameters.gather_within
    pairs = pairs.only(may)
    return pairs.only(pairs.saved(live, parameters) > 0)


def _meeting(live: Live, one: Longs, other: Longs, slope: float) -> Floats:
    """(k, 3): the highest place in both cones, no higher than the first join may be."""
    a, b = live.places[one], live.places[other]
    apart = np.hypot(*(b - a)[:, :2].T)
    z = np.minimum.reduce([
        (a[:, 2] + b[:, 2] - apart / slope) / 2,
        a[:, 2] - LEAST_STEP_MM, b[:, 2] - LEAST_STEP_MM,
        live.limits[one], live.limits[other],
    ])  # fmt: skip
    reach_a, reach_b = a[:, 2] - z, b[:, 2] - z
    share = reach_a / np.maximum(reach_a + reach_b, 1e-9)
    # Where one stands within the other's cone, the other leans over to it and it goes on straight.
    share = np.clip(share, 1 - np.minimum(reach_b * slope / np.maximum(apart, 1e-9), 1), 1)
    share = np.minimum(share, reach_a * slope / np.maximum(apart, 1e-9))
    return np.column_stack([a[:, :2] + share[:, None] * (b - a)[:, :2], z])


def _chosen(pairs: Joins, live: Live, refused: Longs) -> Joins:
    """Pairs none of which shares a branch, those that meet highest first."""
    pairs = pairs.only(~np.isin(_key(pairs), refused))
    one, other = pairs.members[::2], pairs.members[1::2]
    order = np.lexsort((other, one, -np.round(pairs.meet[:, 2], 6)))
    taken = np.zeros(len(live.places), bool)
    kept = np.zeros(len(pairs), bool)
    for number, a, b in zip(order.tolist(), one[order].tolist(), other[order].tolist(), strict=True):
        if not (taken[a] or taken[b]):
            taken[a] = taken[b] = kept[number] = True
    return pairs.only(kept)


@dataclass(frozen=True, eq=False)
class JoinSite:
    """What trees are made with, and what they keep clear of."""

    parameters: BarParameters
    obstacles: Sequence[Obstacle]
    ground: Ground | None
    beside: Stretches
    layers: LayerLean


def join(live: Live, site: JoinSite, joins: Joins) -> Bools:
    """Let those branches join for which it is free: which joins (k,) came about.

    Of a join of more than two, branches that are not free stay out of it.
    """
    came = np.zeros(len(joins), bool)
    if not len(joins):
        return came
    branches, trunks, feet = _are_free(joins, live, site)
    fits = _are_clear(joins, live, site, branches, trunks)
    branches &= fits[joins.owners]
    left = joins.sums(branches.astype(float)) >= 2
    came = trunks & fits & left
    kept = branches & came[joins.owners]
    some = Joins(joins.members[kept], (np.cumsum(came) - 1)[joins.owners[kept]], joins.meet[came])
    _add(live, some, feet[came], site.parameters)
    return came


def _are_free(joins: Joins, live: Live, site: JoinSite) -> tuple[Bools, Bools, Floats]:
    """Whether each branch (m,) and each trunk (k,) is clear of all parts, and the room for the trunk's foot (k,)."""
    p, meet, members = site.parameters, joins.meet, joins.members
    gap, count, grounds = p.part_clearance, len(joins), joins.grounds(live)
    trunk, lands = joins.trunks(live, p), joins.grounds(live) > 0
    landed = landed_feet(p, joins.contacts(live))
    wanted = np.where(lands, landed, trunk_feet(p, joins.contacts(live), trunk))
    least = drops_round(site.obstacles, meet, 0.9 * float(trunk.max(initial=0.1)) + gap)
    free = np.asarray(least >= meet[:, 2] - grounds - _LEVEL_MM * lands - 1e-6, bool)
    free &= np.asarray(~lands | _are_level(site, meet, grounds, landed), bool)
    if site.ground is not None:
        free &= np.asarray(lands | site.ground.holds(meet[:, :2], float(trunk.max(initial=0.1))), bool)
    radius = live.radii[members]
    step = meet[joins.owners] - live.places[members]
    length = np.maximum(np.linalg.norm(step, axis=1), 1e-9)
    trim = np.where(live.at_tips[members], np.minimum((radius + gap) / length, 0.5), 0)[:, None]
    # Above a floor of the part a trunk is looked at from where it is no nearer to that than it may be beside it.
    room = np.maximum(landed, trunk) + p.foot_flare + gap + _LEVEL_MM
    foot = np.column_stack([meet[:, :2], np.where(lands, np.minimum(grounds + room, meet[:, 2]), 0.0)])
    starts = np.concatenate([live.places[members] + trim * step, meet, foot])
    stops = np.concatenate([meet[joins.owners], foot, foot + [0, 0, p.foot_height]])
    reach = np.concatenate([radius + gap, trunk + gap, wanted + p.foot_flare + gap])
    away = clearances(site.obstacles, starts, stops, reach)
    branches, stems, feet = np.split(away, [len(members), len(members) + count])
    feet = np.where(lands, landed, np.clip(feet - gap - p.foot_flare, 0, wanted))
    free &= np.asarray((stems >= trunk + gap - 1e-6) & (lands | (feet >= trunk - 1e-9)), bool)
    return (branches >= radius + gap - 1e-6) & site.layers.allows(step), free, feet


def _are_level(site: JoinSite, meet: Floats, grounds: Floats, radii: Floats) -> Bools:
    """(k,): whether what is below each meeting place is a level floor at its height, all over a foot of a radius (k,).

    A foot that ends level then bites, or keeps its gap, as deep as asked to within the little that is allowed here.
    """
    turns = 2 * np.pi * np.arange(_RIM_PLACES) / _RIM_PLACES
    rim = np.column_stack([np.cos(turns), np.sin(turns), np.zeros(_RIM_PLACES)])
    ring = np.concatenate([np.zeros((1, 3)), rim, 0.5 * rim])
    places = meet[:, None] + radii[:, None, None] * ring
    drops, normals = nearest_hits(site.obstacles, places.reshape(-1, 3), DOWN)
    drops = drops.reshape(len(meet), -1)
    upright = normals[:, 2].reshape(drops.shape) > 0
    is_level = np.abs(drops - (meet[:, 2] - grounds)[:, None]) <= _LEVEL_MM
    return np.asarray((is_level & upright).all(axis=1), bool)


def _are_clear(joins: Joins, live: Live, site: JoinSite, branches: Bools, trunks: Bools) -> Bools:
    """(k,): whether the branches and the trunk of each keep clear of all others, of earlier joins among them."""
    clear = np.ones(len(joins), bool)
    if site.parameters.bar_clearance is None:
        return clear
    may = branches & trunks[joins.owners]
    members, owners, some = joins.members[may], joins.owners[may], np.flatnonzero(trunks)
    fresh = Stretches.straight(
        np.concatenate([live.places[members], joins.meet[some]]),
        np.concatenate([joins.meet[owners], _straight_down(joins.meet[some], joins.grounds(live)[some])]),
        np.concatenate([live.radii[members], joins.trunks(live, site.parameters)[some]]),
        np.concatenate([owners, some]),
    )
    branch = np.concatenate([members, np.full(len(some), -3)])
    join_of = np.full(len(live.places), -1)
    join_of[members] = owners
    standing = Stretches.joined([_as_they_are(live), site.beside])
    near_pairs = too_near(fresh, standing, site.parameters.bar_clearance)
    join, mine, other = fresh.owners[near_pairs[:, 0]], branch[near_pairs[:, 0]], standing.owners[near_pairs[:, 1]]
    own = (other >= 0) & (np.append(join_of, -1)[other] == join)
    # What joined where a branch begins comes near it there, as it is meant to.
    own |= np.append(live.below, -2)[other] == mine
    clear[join[~own]] = False
    first_come(fresh.owners[too_near(fresh, fresh, site.parameters.bar_clearance)], clear)
    return clear


def _as_they_are(live: Live) -> Stretches:
    """All branches: open ones go straight down to where they end, the others to where they joined."""
    stops = np.where(live.open[:, None], _straight_down(live.places, live.grounds), live.places[live.below])
    return Stretches.straight(live.places, stops, live.radii)


def _straight_down(places: Floats, grounds: Floats) -> Floats:
    return np.column_stack([places[:, :2], grounds])


def _add(live: Live, joins: Joins, feet: Floats, parameters: BarParameters) -> None:
    """Each join becomes a trunk that may join on."""
    radii, alone, contacts = joins.trunks(live, parameters), joins.alone(live), joins.contacts(live)
    grounds = joins.grounds(live)
    live.saved += float(joins.saved(live, parameters).sum())
    first, count = len(live.places), len(joins)
    live.open[joins.members] = False
    live.below[joins.members] = first + joins.owners
    lows, highs = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
    np.minimum.at(lows, joins.owners, live.lows[joins.members])
    np.maximum.at(highs, joins.owners, live.highs[joins.members])
    live.places = np.concatenate([live.places, joins.meet])
    live.limits = np.append(live.limits, joins.meet[:, 2])
    live.contacts = np.append(live.contacts, contacts)
    live.radii, live.alone = np.append(live.radii, radii), np.append(live.alone, alone)
    live.at_tips = np.append(live.at_tips, np.zeros(count, bool))
    live.open = np.append(live.open, np.ones(count, bool))
    live.below = np.append(live.below, np.full(count, -1))
    live.foot_radii = np.append(live.foot_radii, feet)
    live.grounds = np.append(live.grounds, grounds)
    live.lows, live.highs = np.concatenate([live.lows, lows]), np.concatenate([live.highs, highs])
