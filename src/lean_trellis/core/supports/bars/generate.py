"""From a target, parameters and work by hand to bars: support points, ways, struts, trees, shared feet, braces."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.arrays import Bools, Longs, frozen
from lean_trellis.core.nearest import place_tree
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.supports.bars.clearing import Stretches, stretches_of
from lean_trellis.core.supports.bars.ends.feet import FOOT_SHARE
from lean_trellis.core.supports.bars.ends.heads import HeadGrid
from lean_trellis.core.supports.bars.holds import SupportPoints, find_support_points
from lean_trellis.core.supports.bars.parameters import BarParameters, require_room_between, require_self_holding
from lean_trellis.core.supports.bars.rings import (
    Routed,
    end_on_trunks,
    ends_of,
    is_straight,
    rings_of,
    share_feet,
    trunks_of,
)
from lean_trellis.core.supports.bars.struts import (
    BEND,
    ON_PART,
    ON_PLATE,
    ON_TRUNK,
    RINGS,
    SHAFT_END,
    SHAFT_START,
    Bars,
    Missed,
    SharedFeet,
)
from lean_trellis.core.supports.bars.trees.joining import JoinSite, Trees, join_into_trees
from lean_trellis.core.supports.bars.upright import LayerLean
from lean_trellis.core.supports.bars.ways.bracing import Uprights, braced
from lean_trellis.core.supports.bars.ways.by_hand import (
    HandHolds,
    drawn_ways,
    given_up,
    placed_by_hand,
    tied,
    without_removed,
)
from lean_trellis.core.supports.bars.ways.route import find_ways
from lean_trellis.core.supports.common.request import Request
from lean_trellis.core.supports.common.structure import Unkept
from lean_trellis.core.supports.common.support import HandBar
from lean_trellis.core.supports.common.surface_points import SurfacePoints

_TIE_BITE_MM = 0.3


BarRequest = Request[BarParameters]


@dataclass(frozen=True, eq=False)
class Holds:
    """Where the bars of a support touch the part: generated ones, those by hand, and lost ones of these."""

    generated: SupportPoints
    by_hand: HandHolds
    lost: Unkept


def find_holds(request: BarRequest) -> Holds:
    """All of them. Of the parameters only those that `hold_values` gives matter here."""
    own = request.obstacles[0]
    by_hand, lost = placed_by_hand(request.hand, request.topology, request.overhangs, own)
    taken = SurfacePoints(by_hand.holds.places, by_hand.faces)
    gone = given_up(request.hand, own)
    holds = find_support_points(
        request.topology, request.overhangs, request.chosen, request.parameters, request.protected, taken=taken,
        given_up=gone,
    )  # fmt: skip
    return Holds(without_removed(holds, request.hand, gone), by_hand, lost)


def hold_values(parameters: BarParameters, is_protected: bool) -> BarParameters:
    """The values by which bars touch the part somewhere; others may change without that being looked for again.

    How wide a tip is matters only where there are surfaces that it must not touch.
    """
    keys = {
        "spacing",
        "pattern",
        "edge_inset",
        "wall_inset",
        "rim_row",
        "shaft_diameter",
        "bar_clearance",
        *(["tip_diameter"] * is_protected),
    }
    return BarParameters().model_copy(update=parameters.model_dump(include=keys))


def generate_bars(request: BarRequest, watch: Watch = UNWATCHED, *, known: Holds | None = None) -> Bars:
    """The bars of one support. The same request gives the same bars; `known` are its holds where they are there.

    Raises `ParameterError` when what it makes would not support itself, `Cancelled` when asked.
    """
    parameters, own = request.parameters, request.obstacles[0]
    require_self_holding(parameters, request.overhangs.critical_angle, request.overhangs.tilt_deg)
    require_room_between(parameters)
    watch.at(0.05, "placing support points")
    support_points = find_holds(request) if known is None else known
    holds, by_hand, lost = support_points.generated, support_points.by_hand, support_points.lost
    limit = np.inf if parameters.height_limit is None else parameters.height_limit
    bare = holds.places[:, 2] > limit
    watch.at(0.25, f"finding ways for {len(holds) + len(by_hand.numbers):,} bars")
    drawn, strayed, taken = _routed_by_hand(by_hand, request)  # what is put down by hand, others keep clear of
    generated = _routed(holds.only(~bare), parameters, request, taken, Stretch(watch, 0.25, 0.7))
    every = Routed.joined([generated, drawn])
    there = every.ways.faults == 0
    standing, missed = every.only(there), every.only(~there)
    ties, torn = tied(request.hand.ties, own, _TIE_BITE_MM)
    bars = Bars(
        sides=parameters.sides,
        centres=np.zeros((0, RINGS, 3)),
        radii=np.zeros((0, RINGS)),
        holds=frozen(standing.holds.places),
        landings=frozen(standing.ways.landings),
        whys=frozen(standing.ways.whys),
        further=frozen(standing.ways.further),
        regions=frozen(standing.holds.regions),
        missed=Missed(
            frozen(missed.holds.places),
            frozen(missed.ways.faults),
            frozen(missed.holds.regions),
            frozen(holds.places[bare]),
        ),
        trunk=np.full(len(standing.holds), -1),
        by_hand=frozen(standing.by_hand),
        ties=ties,
        unkept=_joined_unkept(lost, strayed, torn),
    )
    return _with_structure(bars, standing, request, Stretch(watch, 0.7, 1))


def _routed(
    holds: SupportPoints, p: BarParameters, request: BarRequest, taken: Stretches, watch: Watch = UNWATCHED
) -> Routed:
    grid = HeadGrid.of(request.parameters.sides, request.parameters.tip_diameter)
    ways = find_ways(
        holds, p, request.layer_height, list(request.obstacles), request.ground, watch, grid=grid, taken=taken,
        layers=layers_of(request),
    )  # fmt: skip
    count = len(holds)
    return Routed(
        holds, ways, np.full(count, p.shaft_diameter / 2), np.full(count, p.tip_length), np.full(count, -1),
        np.zeros(count, bool),
    )  # fmt: skip


def _routed_by_hand(by_hand: HandHolds, request: BarRequest) -> tuple[Routed, Unkept, Stretches]:
    """Bars by hand, those with the same values together, and what the others keep clear of.

    They stay where they were put, whatever is beside them: `bar_faults` tells where that is too near.
    """
    bars = [request.hand.bars[number] for number in by_hand.numbers.tolist()]
    taken = beside_of(request)
    routed = _routed(by_hand.holds.only(np.zeros(0, np.int64)), request.parameters, request, taken)
    unkept = Unkept()
    values = [_values_of(bar, request.parameters) for bar in bars]
    for own in sorted(set(values)):
        which = np.array([number for number, other in enumerate(values) if other == own])
        p = _with_values(request.parameters, own)
        some = _routed(by_hand.holds.only(which), p.model_copy(update={"bar_clearance": None}), request, taken)
        mine = [bars[number] for number in which.tolist()]
        ways, strayed = drawn_ways(some.ways, some.holds, mine, p, request.obstacles, request.ground)
        alone = np.array([bar.is_routed or bar.is_locked or own != _own(request.parameters) for bar in mine], bool)
        some = replace(some, ways=ways, by_hand=by_hand.numbers[which], stays_alone=alone)
        taken = Stretches.joined([taken, ways.stretches(p, np.flatnonzero(ways.faults == 0))])
        routed, unkept = Routed.joined([routed, some]), _joined_unkept(unkept, strayed)
    return routed, unkept, taken


def _own(p: BarParameters) -> tuple[float, float, float]:
    return p.shaft_diameter, p.tip_diameter, p.tip_length


def _values_of(bar: HandBar, p: BarParameters) -> tuple[float, float, float]:
    typed = (bar.shaft_diameter, bar.tip_diameter, bar.tip_length)
    shaft, tip, length = (own if value is None else value for value, own in zip(typed, _own(p), strict=True))
    return shaft, tip, length


def _with_values(p: BarParameters, values: tuple[float, float, float]) -> BarParameters:
    """A thicker bar has a thicker foot as well; the values of one bar are not checked against those of the others."""
    shaft, tip, length = values
    foot = max(p.foot_diameter * shaft / p.shaft_diameter, shaft)
    return p.model_copy(
        update={"shaft_diameter": shaft, "tip_diameter": tip, "tip_length": length, "foot_diameter": foot}
    )


def _joined_unkept(*some: Unkept) -> Unkept:
    places = np.concatenate([entry.places for entry in some])
    return Unkept(frozen(places), tuple(reason for entry in some for reason in entry.reasons))


def _with_structure(bars: Bars, routed: Routed, request: BarRequest, watch: Watch) -> Bars:
    """Trees and rings, then shared feet and braces, as far as the parameters ask for them."""
    p = request.parameters
    straight = is_straight(routed.ways)
    trees, trunk = _trees(routed, straight, request, watch)
    landings = np.where(trunk >= 0, ON_TRUNK, bars.landings).astype(np.uint8)
    if p.bar_clearance is not None:
        routed, trees = _with_feet_apart(routed, landings == ON_PLATE, trees, p)
    centres, radii = rings_of(routed, p)
    trunks = trunks_of(trees, p)
    end_on_trunks(centres, radii, trunk, trees.tops, straight)
    feet = SharedFeet()
    if p.group_span > 0:
        watch.at(0.7, "sharing feet")
        feet = share_feet(centres, radii, landings, trunks, request)
    bars = replace(
        bars, centres=frozen(centres), radii=frozen(radii), landings=frozen(landings), trunk=frozen(trunk),
        ends=ends_of(centres, radii, routed, landings, p),
        trunks=trunks, feet=feet,
    )  # fmt: skip
    if p.brace != "none":
        watch.at(0.8, "bracing")
        standing = Stretches.joined([bars.stretches(), beside_of(request)])
        bars = replace(bars, braces=braced(columns_of(bars), p, request.obstacles, standing, layers_of(request)))
    return bars


def _trees(routed: Routed, straight: Bools, request: BarRequest, watch: Watch) -> tuple[Trees, Longs]:
    """Trees of the bars that may join, and the trunk (n,) of each bar, -1 for none."""
    ways, trunk = routed.ways, np.full(len(straight), -1)
    may = (ways.landings != ON_TRUNK) & ~routed.stays_alone & (request.parameters.join == "on")
    joins = np.flatnonzero(may)
    number = np.full(len(straight), -1)
    number[joins] = np.arange(len(joins))
    every = stretches_of(
        ways.necks, ways.tip_bases, ways.bends, ways.bottoms, ways.upper.radii, routed.shafts, np.arange(len(straight))
    )
    # Of those that join, what stays is above where they begin to go straight down.
    is_upper = np.arange(len(every)) < len(straight)
    stays = ~may[every.owners] | every.is_tip | (is_upper & ~straight[every.owners])
    beside = Stretches.joined([replace(every, owners=number[every.owners]).only(stays), beside_of(request)])
    begins = np.where(straight[:, None], ways.tip_bases, ways.bends)[joins]
    grounds = np.where(ways.landings == ON_PART, ways.bottoms[:, 2], 0.0)[joins]
    site = JoinSite(
        request.parameters, request.layer_height, request.obstacles, request.ground, beside, layers_of(request)
    )
    trees = join_into_trees(begins, routed.holds.places[joins], straight[joins], grounds, site, watch)
    trunk[joins] = trees.trunk_of_bar
    return trees, trunk


def _with_feet_apart(routed: Routed, stands: Bools, trees: Trees, p: BarParameters) -> tuple[Routed, Trees]:
    """No foot reaches farther than a share of the way to the nearest other, so that none fuse; none below its shaft."""
    low = np.flatnonzero((trees.below < 0) & (trees.grounds == 0))
    bars = np.flatnonzero(stands)
    places = np.concatenate([routed.ways.bottoms[bars, :2], trees.tops[low, :2]])
    if len(places) < 2:
        return routed, trees
    away = place_tree(places).query(places, k=2)[0][:, 1]
    most = FOOT_SHARE * away - p.foot_flare
    feet, trunk_feet = routed.ways.foot_radii.copy(), trees.foot_radii.copy()
    feet[bars] = np.minimum(feet[bars], np.maximum(most[: len(bars)], routed.shafts[bars]))
    trunk_feet[low] = np.minimum(trunk_feet[low], np.maximum(most[len(bars) :], trees.radii[low]))
    return replace(routed, ways=replace(routed.ways, foot_radii=feet)), replace(trees, foot_radii=trunk_feet)


def layers_of(request: BarRequest) -> LayerLean:
    """How far struts may lean from the normal of the layers."""
    return LayerLean(request.overhangs.layer_normal, 90 - request.overhangs.critical_angle)


def beside_of(request: BarRequest) -> Stretches:
    """What of other supports of the part bars keep clear of: others' shafts, trunks and braces."""
    return Stretches.joined([Stretches(), *(one.stretches(-1) for one in request.others if isinstance(one, Bars))])


def columns_of(bars: Bars) -> Uprights:
    """What stands on plate or part: bars that do, then trunks that stand on the plate."""
    own = np.flatnonzero(bars.landings != ON_TRUNK)
    standing = np.flatnonzero(bars.trunks.below < 0)
    rings = [bars.centres[own][:, [SHAFT_START, BEND, SHAFT_END]], bars.trunks.centres[standing][:, 2:]]
    return Uprights(np.concatenate(rings), np.concatenate([own, len(bars) + standing]))
