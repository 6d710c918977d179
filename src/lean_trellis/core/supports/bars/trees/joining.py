"""Joining bars into trees: from the top down, two lean together where their reach first meets, and go on as one trunk.

Each live branch has a downward cone whose half-angle is the lean limit. Of neighbours those whose cones meet highest
join, if both ways there and the trunk's way straight down from there are free, the trunk carries no more than it may,
and material is saved. All pairs of a round are looked at together; rounds go on until none joins.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bars.clearing import Stretches, first_come, too_near, too_near_each_other
from lean_trellis.core.supports.bars.ends.heads import HeadGrid, Heads
from lean_trellis.core.supports.bars.ends.landing import STEEPEST_LANDING, Stands, lower_heads, rise_of, upright_of
from lean_trellis.core.supports.bars.ends.tips import LEAST_TIP_MM
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.trees.branches import (
    LEAST_STEP_MM,
    NEIGHBOURS,
    Joins,
    Live,
    landed_feet,
    least_height,
    pairs_of,
    trunk_feet,
)
from lean_trellis.core.supports.bars.trees.gathering import gathered
from lean_trellis.core.supports.bars.trees.trunks import LowerEnds
from lean_trellis.core.supports.bars.upright import LEVEL, LayerLean
from lean_trellis.core.supports.common.obstacle import DOWN, Ground, Obstacle, clearances, drops_round, nearest_hits
from lean_trellis.core.supports.common.solids import polygon_share

_MOST_ROUNDS = 60
_SPARE_MM = 0.02
"""So much more than its clearance a trunk is above the part where it is looked at: it has just left it there."""


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
    ends: LowerEnds | None
    """The lower ends of all, where some stand on a part."""
    saved_mm3: float
    """How much less material all take than single bars of the same strength would; feet apart."""


def join_into_trees(
    bases: Floats, holds: Floats, at_tips: Bools, grounds: Floats, site: JoinSite, watch: Watch = UNWATCHED
) -> Trees:
    """Join bars that stand on the plate, or on a part at heights `grounds` (n,) above 0.

    `bases` (n, 3) are where each begins to go straight down: the lower end of its tip, or its bend; `holds` (n, 3) the
    support points, `at_tips` (n,) whether it is a tip, which has to come near the part.
    """
    parameters, count = site.parameters, len(bases)
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
        live.foot_radii[count:], live.grounds[count:], _lower_ends(live, count, site),
        polygon_share(parameters.sides) * live.saved,
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
        return pairs_of(live, some[:0], some[:0], np.zeros((0, 3)))
    known = min(NEIGHBOURS, len(some))
    _, near = place_tree(live.places[some, :2]).query(live.places[some, :2], k=known)
    one = np.repeat(some, known - 1)
    other = some[near[:, 1:].reshape(-1)]
    swapped = one > other
    one, other = np.where(swapped, other, one), np.where(swapped, one, other)
    both = np.unique(np.column_stack([one, other])[one != other], axis=0)
    pairs = pairs_of(live, both[:, 0], both[:, 1], _meeting(live, both[:, 0], both[:, 1], slope))
    may = (pairs.contacts(live) <= parameters.contacts_per_trunk) & (
        pairs.meet[:, 2] - pairs.grounds > least_height(parameters)
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
    """What trees are made with, and what they keep clear of.

    `beside` is what stays as it is, of the bars themselves (with their numbers) and of others (-1).
    """

    parameters: BarParameters
    layer_height: float
    obstacles: Sequence[Obstacle]
    ground: Ground | None
    beside: Stretches = field(default_factory=Stretches)
    layers: LayerLean = LEVEL

    @cached_property
    def grid(self) -> HeadGrid:
        """Of the lower ends of trunks, as fine as the widest of them asks for."""
        p = self.parameters
        return HeadGrid.of(p.sides, 2 * float(landed_feet(p, np.array([p.contacts_per_trunk]))[0]))


def join(live: Live, site: JoinSite, joins: Joins) -> Bools:
    """Let those branches join for which it is free: which joins (k,) came about.

    Of a join of more than two, branches that are not free stay out of it.
    """
    came = np.zeros(len(joins), bool)
    if not len(joins):
        return came
    joins, normals = _over_what_is_below(joins, site)
    branches, trunks, feet = _are_free(joins, normals, live, site)
    fits = _are_clear(joins, live, site, branches, trunks)
    branches &= fits[joins.owners]
    left = joins.sums(branches.astype(float)) >= 2
    came = trunks & fits & left
    kept = branches & came[joins.owners]
    some = replace(joins.only(came), members=joins.members[kept], owners=(np.cumsum(came) - 1)[joins.owners[kept]])
    # Without the branches that stay out of it less stands on a part: the end there is as large as what it carries.
    feet = np.where(some.grounds > 0, landed_feet(site.parameters, some.contacts(live)), feet[came])
    _add(live, some, feet, site.parameters)
    return came


def _over_what_is_below(joins: Joins, site: JoinSite) -> tuple[Joins, Floats]:
    """The same with the heights of the part below those that land, and the normals (k, 3) there."""
    normals, lands = np.zeros((len(joins), 3)), joins.grounds > 0
    if not lands.any():
        return joins, normals
    drops, normals[lands] = nearest_hits(site.obstacles, joins.meet[lands], DOWN)
    grounds = joins.grounds.copy()
    grounds[lands] = joins.meet[lands, 2] - drops
    return replace(joins, grounds=np.where(lands & (grounds <= 0), 0.0, grounds)), normals


def _are_free(joins: Joins, normals: Floats, live: Live, site: JoinSite) -> tuple[Bools, Bools, Floats]:
    """Whether each branch (m,) and each trunk (k,) is clear of all parts, and the room for the trunk's foot (k,)."""
    p, meet, members = site.parameters, joins.meet, joins.members
    gap, count, grounds = p.part_clearance, len(joins), joins.grounds
    trunk, lands = joins.trunks(live, p), grounds > 0
    landed = landed_feet(p, joins.contacts(live))
    wanted = np.where(lands, landed, trunk_feet(p, joins.contacts(live), trunk))
    stands = Stands.of_trunks(meet, grounds, normals, trunk, landed, p)
    # Above the part on which it stands a trunk is looked at from where it has left that.
    beside = np.minimum((trunk + gap + _SPARE_MM) / upright_of(normals), stands.rooms)
    stretch = np.where(lands, np.maximum(stands.lengths, beside), 0.0)
    least = drops_round(site.obstacles, meet, 0.9 * float(trunk.max(initial=0.1)) + gap)
    free = np.asarray(least >= meet[:, 2] - grounds - stretch - 1e-6, bool)
    free &= (meet[:, 2] - grounds > least_height(p)) & (joins.saved(live, p) > 0)
    if site.ground is not None:
        free &= np.asarray(lands | site.ground.holds(meet[:, :2], float(trunk.max(initial=0.1))), bool)
    radius = live.radii[members]
    step = meet[joins.owners] - live.places[members]
    length = np.maximum(np.linalg.norm(step, axis=1), 1e-9)
    trim = np.where(live.at_tips[members], np.minimum((radius + gap) / length, 0.5), 0)[:, None]
    foot = np.column_stack([meet[:, :2], grounds + stretch])
    starts = np.concatenate([live.places[members] + trim * step, meet, foot])
    stops = np.concatenate([meet[joins.owners], foot, foot + [0, 0, p.foot_height]])
    reach = np.concatenate([radius + gap, trunk + gap, wanted + p.foot_flare + gap])
    away = clearances(site.obstacles, starts, stops, reach)
    branches, stems, feet = np.split(away, [len(members), len(members) + count])
    feet = np.where(lands, landed, np.clip(feet - gap - p.foot_flare, 0, wanted))
    free &= np.asarray((stems >= trunk + gap - 1e-6) & (lands | (feet >= trunk - 1e-9)), bool)
    lands &= free  # heads take longer than shafts
    heads = _heads(stands, lands, site)
    free &= ~lands | (heads.fits & (heads.radii >= landed - 1e-9) & (rise_of(heads) + LEAST_TIP_MM <= stands.rooms))
    return (branches >= radius + gap - 1e-6) & site.layers.allows(step), free, feet


def _heads(stands: Stands, lands: Bools, site: JoinSite) -> Heads:
    """The lower ends of trunks; those that are too steep to stand on do not fit."""
    steep = lands & (stands.normals[:, 2] < STEEPEST_LANDING)
    heads = lower_heads(stands, lands & ~steep, site.parameters, site.layer_height, site.obstacles, site.grid)
    return replace(heads, fits=heads.fits & ~steep)


def _lower_ends(live: Live, first: int, site: JoinSite) -> LowerEnds | None:
    """Of the trunks, which come from the `first` branch on."""
    tops, grounds, stands_alone = live.places[first:], live.grounds[first:], live.below[first:] < 0
    lands = stands_alone & (grounds > 0)
    if not lands.any():
        return None
    _, normals = nearest_hits(site.obstacles, tops, DOWN)
    stands = Stands.of_trunks(tops, grounds, normals, live.radii[first:], live.foot_radii[first:], site.parameters)
    return LowerEnds(site.grid, _heads(stands, lands, site), lands)


def _are_clear(joins: Joins, live: Live, site: JoinSite, branches: Bools, trunks: Bools) -> Bools:
    """(k,): whether the branches and the trunk of each keep clear of all others, of earlier joins among them."""
    clear = np.ones(len(joins), bool)
    if site.parameters.bar_clearance is None:
        return clear
    may = branches & trunks[joins.owners]
    members, owners, some = joins.members[may], joins.owners[may], np.flatnonzero(trunks)
    fresh = Stretches.straight(
        np.concatenate([live.places[members], joins.meet[some]]),
        np.concatenate([joins.meet[owners], _straight_down(joins.meet[some], joins.grounds[some])]),
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
    first_come(fresh.owners[too_near_each_other(fresh, site.parameters.bar_clearance)], clear)
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
    grounds = joins.grounds
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
