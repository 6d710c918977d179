"""The way of each bar from its support point down, by arrays: straight if it can be, else the one that costs least."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.arrays import Bools, Bytes, Floats, Longs, Rows
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.progress import UNWATCHED, Watch
from lean_trellis.core.supports.bars.clearing import Stretches, crowded, stretches_of, too_near_each_other
from lean_trellis.core.supports.bars.ends.heads import HeadGrid, Heads
from lean_trellis.core.supports.bars.ends.landing import (
    STEEPEST_LANDING,
    Stands,
    least_shaft,
    lower_heads,
    lower_stretch,
    rise_of,
    upright_of,
)
from lean_trellis.core.supports.bars.ends.tips import LEAST_TIP_MM, Tips
from lean_trellis.core.supports.bars.holds import SupportPoints
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.struts import (
    BLOCKED,
    CROWDED,
    LANDED,
    LANDED_FOR_ROOM,
    LEANT_OFF_BARS,
    LEANT_OFF_PART,
    OFF_PLATE,
    ON_PART,
    ON_PLATE,
    STRAIGHT,
    TOO_NEAR,
    TOO_SHORT,
    TOO_STEEP,
)
from lean_trellis.core.supports.bars.upright import LEVEL, LayerLean
from lean_trellis.core.supports.bars.ways.lean import Candidates, LeaningSearch
from lean_trellis.core.supports.common.obstacle import DOWN, Ground, Obstacle, clearances, drops_round, nearest_hits

_MARK_COST_MM = 4.0
"""What a mark on the part costs, as mm of a bar, where a bar may stand on whatever is nearest: assumed."""
_TIP_TURNS, _STRAIGHTENINGS = 8, 5


@dataclass(frozen=True, eq=False)
class Ways(Rows):
    """The way of each support point.

    The `necks` (n, 3) and `tip_ends`, `tip_bases`, the `bends` between tip and foot, the `bottoms` (n, 3), what each
    stands on, the radius that its foot has room for, and why there is no way (`faults`, 0 where there is one). `upper`
    are the heads of tips, `lower` the lower ends of those that stand on a part; level ones at 0 for the others. `whys`
    (n,) tell why each goes where it goes, `further` (n,) how much longer the shortest way to the plate would be, mm.
    """

    necks: Floats
    tip_ends: Floats
    tip_bases: Floats
    bends: Floats
    bottoms: Floats
    landings: Bytes
    foot_radii: Floats
    faults: Bytes
    upper: Heads
    lower: Heads
    whys: Bytes
    further: Floats

    def stretches(self, parameters: BarParameters, which: Longs) -> Stretches:
        """What of some of them others keep clear of; owners are their numbers."""
        some = self.only(which)
        shafts = np.full(len(which), parameters.shaft_diameter / 2)
        all_of = stretches_of(some.necks, some.tip_bases, some.bends, some.bottoms, some.upper.radii, shafts, which)
        # Where caps are joined, tips may run into whatever stands beside them.
        return all_of.only(~all_of.is_tip) if parameters.has_joined_cap else all_of

    @property
    def lengths(self) -> Floats:
        """(n,): from the lower end of each tip down."""
        return _lengths(self.tip_bases, self.bends, self.bottoms)


@dataclass(frozen=True, eq=False)
class _Site:
    """What bars are made with, and what they must not meet."""

    parameters: BarParameters
    layer_height: float
    obstacles: list[Obstacle]
    ground: Ground | None
    grid: HeadGrid
    layers: LayerLean

    def tips(self, holds: SupportPoints) -> Tips:
        return Tips.of(holds, self.parameters, self.layer_height, self.obstacles, self.grid, self.layers)


def find_ways(
    holds: SupportPoints,
    parameters: BarParameters,
    layer_height: float,
    obstacles: list[Obstacle],
    ground: Ground | None = None,
    watch: Watch = UNWATCHED,
    *,
    grid: HeadGrid | None = None,
    taken: Stretches | None = None,
    layers: LayerLean = LEVEL,
) -> Ways:
    """The tip along the normal as far as the lean limit lets it, then straight down where that way is free.

    Where it is not, the way that costs least: leaning to the plate, or onto the part where the landing allows it and
    the plate is farther off than the `detour`. All keep clear of each other and of what is `taken`.
    """
    grid = HeadGrid.of(parameters.sides, parameters.tip_diameter) if grid is None else grid
    site = _Site(parameters, layer_height, list(obstacles), ground, grid, layers)
    tips = site.tips(holds)
    watch.at(0.3, "casting rays")
    ways = _straight(tips, site)
    choice = _Choice(holds, tips, ways, site, Stretches() if taken is None else taken)
    watch.at(0.6, "keeping bars clear of each other")
    choice.straighten_tips()
    choice.stand_straight()
    watch.at(0.7, "leaning round what is in the way")
    choice.go_round()
    return choice.ways


class _Choice:
    """Which way each bar takes, step by step; what is taken is not given up again."""

    def __init__(self, holds: SupportPoints, tips: Tips, ways: Ways, site: _Site, taken: Stretches) -> None:
        self.holds, self.tips, self.ways, self.site, self.taken = holds, tips, ways, site, taken
        self.is_settled = np.zeros(len(holds), bool)

    @property
    def _clearance(self) -> float | None:
        return self.site.parameters.bar_clearance

    def straighten_tips(self) -> None:
        """Where tips lean towards each other, as in a bore, so that shafts come too near: they go straight down.

        One that does may come too near to a next one that leans, which then goes straight down, too.
        """
        p = self.site.parameters
        is_done = self.ways.faults > 0
        for _ in range(_STRAIGHTENINGS):
            free = np.flatnonzero(self.ways.faults == 0)
            if p.bar_clearance is None or p.contact == "gap" or not len(free):
                return
            shafts = self.ways.stretches(p, free)
            pairs = shafts.owners[too_near_each_other(shafts, p.bar_clearance)]
            both = np.unique(pairs[pairs[:, 0] != pairs[:, 1]])
            both = both[~is_done[both]]
            if not len(both):
                return
            is_done[both] = True
            down = np.repeat(DOWN[None], len(both), axis=0)
            tips = self.tips.only(both).turned(down, p, self.site.obstacles)
            upright = _straight(tips, self.site)
            good = (upright.faults == 0) & (upright.landings == self.ways.landings[both])
            self.ways = self.ways.with_rows(both[good], upright.only(good))
            self.tips = self.tips.with_rows(both[good], tips.only(good))

    def stand_straight(self) -> None:
        """Bars that go straight to the plate; one that is too near to another may do so with its tip turned."""
        plate = (self.ways.faults == 0) & (self.ways.landings == ON_PLATE)
        self._with_turned_tips(self._settle(np.flatnonzero(plate)), ON_PLATE)

    def _with_turned_tips(self, loses: Longs, landing: int) -> None:
        """Let those that are too near to others go straight to plate or part with tips that lean another way."""
        p = self.site.parameters
        if p.contact == "gap":  # whose tips are upright
            return
        turns = _turns(p.lean_limit)
        for direction in turns[self.site.layers.allows(turns)]:
            if not len(loses):
                break
            directions = np.repeat(direction[None], len(loses), axis=0)
            tips = self.tips.only(loses).turned(directions, p, self.site.obstacles)
            turned = _straight(tips, self.site)
            good = np.flatnonzero((turned.faults == 0) & (turned.landings == landing))
            before = self.ways
            self.ways = before.with_rows(loses[good], turned.only(good))
            still = self._settle(loses[good])
            lost = before.only(still)
            self.ways = self.ways.with_rows(still, replace(lost, faults=np.full(len(still), CROWDED, np.uint8)))
            stands = self.is_settled[loses]
            self.tips = self.tips.with_rows(loses[stands], tips.only(stands))
            loses = loses[~stands]

    def _settle(self, which: Longs) -> Longs:
        """Let some of them take their ways; those too near to what is taken do not: they are returned."""
        loses = np.zeros(len(self.holds), bool)
        if self._clearance is not None and len(which):
            mine = self.ways.stretches(self.site.parameters, which)
            gives_way = crowded(mine, self.taken, self._clearance, which)
            loses[: len(gives_way)] = gives_way
            self.taken = Stretches.joined([self.taken, mine.only(~loses[mine.owners])])
        self.is_settled[which] = True
        self.is_settled[loses] = False
        self.ways.faults[loses] = CROWDED
        return np.flatnonzero(loses)

    def go_round(self) -> None:
        """The others: to the plate unless that is too far, else onto the part, else to the plate all the same."""
        p, ways, tips = self.site.parameters, self.ways, self.tips
        lands = (ways.faults == 0) & (ways.landings == ON_PART)
        may = ~self.is_settled & ~tips.blocked & tips.heads.fits
        open_ones = np.flatnonzero(may)
        strays = self._strays()
        if len(open_ones):
            search = LeaningSearch(
                tips.only(open_ones), self.holds.normals[open_ones], p, self.site.layer_height, self.site.obstacles,
                self.site.ground, self.site.grid, self.site.layers,
            )  # fmt: skip
            every = search.every
            part, plate = every.only(every.lands), every.only(~every.lands)
            straight = lands[open_ones]
            length = np.where(straight, ways.lengths[open_ones], np.inf)
            aside = search.chosen(part.only(~straight[part.bar]), Stretches())
            length[aside.has_way] = _lengths(tips.bases[open_ones], aside.bends, aside.bottoms)[aside.has_way]
            shortest = np.full(len(open_ones), np.inf)
            np.minimum.at(shortest, plate.bar, plate.length)
            ways.further[open_ones] = np.where(np.isfinite(length), shortest, np.inf) - np.where(
                np.isfinite(length), length, 0
            )
            worth = plate.only(self._is_worth(plate, length))
            self._take(open_ones, search, worth)
            self._with_turned_tips(self._settle(np.flatnonzero(lands & ~self.is_settled)), ON_PART)
            self._take(open_ones, search, part.only(~straight[part.bar] | self._lost(open_ones)[part.bar]))
            self._take(open_ones, search, plate)
            wanted = open_ones[np.unique(worth.bar)]
            self.ways.whys[wanted[self.ways.landings[wanted] == ON_PART]] = LANDED_FOR_ROOM
        # Where the part itself is beyond the plate, that is what is wrong: bars show what would be, a finding stops it.
        self.ways.faults[strays & (self.ways.faults == OFF_PLATE)] = 0

    def _lost(self, which: Longs) -> Bools:
        result: Bools = ~self.is_settled[which]
        return result

    def _is_worth(self, plate: Candidates, landing: Floats) -> Bools:
        """(k,): whether ways to the plate are to be taken rather than landings of lengths (n,) on the part."""
        p = self.site.parameters
        if p.landing == "anywhere":
            result: Bools = plate.cost < landing[plate.bar] + _MARK_COST_MM
        else:
            result = plate.length <= landing[plate.bar] + (np.inf if p.detour is None else p.detour)
        return result

    def _take(self, open_ones: Longs, search: LeaningSearch, some: Candidates) -> None:
        """Let those that have no way yet take one of some candidates."""
        leaning = search.chosen(some.only(self._lost(open_ones)[some.bar]), self.taken)
        good = np.flatnonzero(leaning.has_way)
        which = open_ones[good]
        if not len(which):
            return
        ways, way = self.ways, leaning.only(good)
        crowd = ways.faults[which] == CROWDED
        ways.bends[which], ways.bottoms[which], ways.foot_radii[which] = way.bends, way.bottoms, way.foot_radii
        ways.landings[which] = np.where(way.lands, ON_PART, ON_PLATE)
        ways.whys[which] = np.where(way.lands, LANDED, np.where(crowd, LEANT_OFF_BARS, LEANT_OFF_PART))
        ways.faults[which] = 0
        self.ways = replace(ways, lower=ways.lower.with_rows(which, way.lower))
        self._settle(which)

    def _strays(self) -> Bools:
        """(n,): those whose straight foot would be beyond the plate's edge."""
        ground = self.site.ground
        if ground is None:
            return np.zeros(len(self.holds), bool)
        result: Bools = (self.ways.faults == OFF_PLATE) & ground.is_beyond(self.ways.bottoms[:, :2])
        return result


def _turns(lean_limit: float) -> Floats:
    """(k, 3): directions in which tips may lean: straight down, then a little to all sides, then as far as they may."""
    turn = 2 * np.pi * np.arange(_TIP_TURNS) / _TIP_TURNS
    aside = np.column_stack([np.cos(turn), np.sin(turn)])
    leans = np.radians([lean_limit / 2, lean_limit])
    around = [np.column_stack([np.sin(lean) * aside, np.full(len(aside), -np.cos(lean))]) for lean in leans]
    return np.concatenate([DOWN[None], *around])


def _lengths(bases: Floats, bends: Floats, bottoms: Floats) -> Floats:
    steps = np.stack([bases - bends, bends - bottoms])
    result: Floats = np.linalg.norm(steps, axis=2).sum(axis=0)
    return result


def _straight(tips: Tips, site: _Site) -> Ways:
    """Straight down from each tip to what is below, the plate or a part; with a fault where that is not free."""
    p, obstacles, count = site.parameters, site.obstacles, len(tips.bases)
    drop, normals = nearest_hits(obstacles, tips.bases, DOWN)
    height = tips.bases[:, 2]
    to_part = drop < height
    bottoms = tips.bases.copy()
    bottoms[:, 2] = np.where(to_part, height - drop, 0)
    faults = np.zeros(count, np.uint8)
    if p.landing == "plate_only":
        faults[to_part] = BLOCKED
    faults[to_part & (faults == 0) & (normals[:, 2] < STEEPEST_LANDING)] = TOO_STEEP
    least = least_shaft(site.layer_height)
    faults[(faults == 0) & (height - bottoms[:, 2] < np.where(to_part, least, 0.05))] = TOO_SHORT
    faults[(faults == 0) & tips.blocked] = TOO_SHORT
    faults[~tips.heads.fits] = TOO_NEAR
    to_meet, rooms = to_part & (faults == 0), 0.45 * (height - bottoms[:, 2])
    stands = Stands.of_bars(bottoms, normals, rooms, p)
    lower = lower_heads(stands, to_meet, p, site.layer_height, obstacles, site.grid)
    faults[(faults == 0) & to_part & ~lower.fits] = TOO_NEAR
    faults[(faults == 0) & (rise_of(lower) + LEAST_TIP_MM > 0.45 * (height - bottoms[:, 2]))] = TOO_SHORT
    upright = np.where(to_part, upright_of(normals), 1.0)
    feet = _fit_between(faults, tips, bottoms, to_part, upright, p, obstacles)
    if site.ground is not None:
        off = (faults == 0) & ~to_part & ~site.ground.holds(bottoms[:, :2], p.shaft_diameter / 2)
        faults[off] = OFF_PLATE
    return Ways(
        tips.necks, tips.ends, tips.bases, bottoms + 0.5 * (tips.bases - bottoms), bottoms,
        np.where(to_part, ON_PART, ON_PLATE).astype(np.uint8), feet, faults, tips.heads, lower,
        np.where(to_part, LANDED, STRAIGHT).astype(np.uint8), np.full(count, np.inf),
    )  # fmt: skip


def nearest_with_way(
    wanted: SupportPoints,
    offered: SupportPoints,
    parameters: BarParameters,
    layer_height: float,
    obstacles: list[Obstacle],
    ground: Ground | None = None,
) -> Longs:
    """(n,): for each wanted support point the nearest offered in its region that has a clear path; -1 for none.

    Looked for no farther away than 1.5 times the spacing. Each is looked at by itself: few of those offered will stand.
    """
    result = np.full(len(wanted), -1, np.int64)
    if not len(wanted) or not len(offered):
        return result
    near = place_tree(wanted.places).query(offered.places)[0] <= 1.5 * parameters.spacing
    some = np.flatnonzero(near)
    alone = parameters.model_copy(update={"bar_clearance": None})
    ways = find_ways(offered.only(some), alone, layer_height, obstacles, ground)
    good = some[ways.faults == 0]
    if len(good):
        apart = [np.column_stack([entry.places, entry.regions * 1e5]) for entry in (offered.only(good), wanted)]
        away, which = place_tree(apart[0]).query(apart[1], distance_upper_bound=1.5 * parameters.spacing)
        has_way = np.isfinite(away)
        result[has_way] = good[which[has_way]]
    return result


def _fit_between(
    faults: Bytes,
    tips: Tips,
    bottoms: Floats,
    to_part: Bools,
    upright: Floats,
    parameters: BarParameters,
    obstacles: list[Obstacle],
) -> Floats:
    """Mark ways whose shaft comes nearer to a part than the clearance; give the radius each foot has room for.

    Rays round the shaft sort out most, exact distances of shafts and feet decide.
    """
    reach = parameters.shaft_diameter / 2 + parameters.part_clearance
    shaft = parameters.shaft_diameter / 2
    foot = parameters.foot_diameter / 2 + parameters.foot_flare
    tops, lows = _open_stretch(tips, bottoms, to_part, upright, parameters)
    candidates = np.flatnonzero(faults == 0)
    room = (tops - lows)[candidates, 2]
    struck = drops_round(obstacles, tops[candidates], reach) < room - 1e-6
    faults[candidates[struck]] = TOO_NEAR
    winners = candidates[~struck]
    standing = candidates[~struck & ~to_part[candidates]]
    starts = np.concatenate([tops[winners], bottoms[standing]])
    stops = np.concatenate([lows[winners], bottoms[standing] + [0, 0, parameters.foot_height]])
    search = np.repeat([reach, foot + parameters.part_clearance], [len(winners), len(standing)])
    distance = clearances(obstacles, starts, stops, search)
    faults[winners[distance[: len(winners)] < reach - 1e-6]] = TOO_NEAR
    radii = np.full(len(faults), parameters.foot_diameter / 2)
    room = distance[len(winners) :] - parameters.part_clearance - parameters.foot_flare
    radii[standing] = np.clip(room, shaft, parameters.foot_diameter / 2)
    return radii


def _open_stretch(
    tips: Tips, bottoms: Floats, to_part: Bools, upright: Floats, parameters: BarParameters
) -> tuple[Floats, Floats]:
    """The stretch of each shaft that must be clear: without its ends, which have to come near to what they meet."""
    height = (tips.bases - bottoms)[:, 2]
    reach = (parameters.shaft_diameter / 2 + parameters.part_clearance) / upright
    tops, lows = tips.bases.copy(), bottoms.copy()
    tops[:, 2] -= np.minimum(reach, 0.5 * height)
    lows[:, 2] += np.where(to_part, lower_stretch(parameters, height, upright), 0)
    lows[:, 2] = np.minimum(lows[:, 2], tops[:, 2])
    return tops, lows
