"""From a target, parameters and work by hand to bars: support points, ways, struts, trees, shared feet, braces."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows, frozen
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.supports.bars.bracing import Uprights, braced
from lean_trellis.core.supports.bars.by_hand import (
    HandHolds,
    drawn_ways,
    given_up,
    placed_by_hand,
    tied,
    without_removed,
)
from lean_trellis.core.supports.bars.clearing import Stretches
from lean_trellis.core.supports.bars.feet import foot_profile, shared_feet
from lean_trellis.core.supports.bars.heads import Ends, HeadGrid, Heads, level_heads
from lean_trellis.core.supports.bars.holds import HoldPoints, find_hold_points
from lean_trellis.core.supports.bars.joining import Trees, join_into_trees
from lean_trellis.core.supports.bars.parameters import BarParameters, require_self_holding
from lean_trellis.core.supports.bars.route import Ways, find_ways
from lean_trellis.core.supports.bars.struts import (
    BEND,
    FOOT_TOP,
    LOWER_END,
    ON_PART,
    ON_PLATE,
    ON_TRUNK,
    RINGS,
    SHAFT_END,
    SHAFT_START,
    TRUNK_RINGS,
    Bars,
    Missed,
    SharedFeet,
    Trunks,
)
from lean_trellis.core.supports.bars.tips import LEAST_TIP_MM, LEVEL_SHARE
from lean_trellis.core.supports.common.request import Request
from lean_trellis.core.supports.common.structure import Unkept
from lean_trellis.core.supports.common.support import HandBar
from lean_trellis.core.supports.common.surface_points import SurfacePoints

_STRAIGHT_MM = 1e-9
_SUNK_MM = 0.3
"""How far branches go into the trunk below them, so that both are one when united."""
_TIE_BITE_MM = 0.3


BarRequest = Request[BarParameters]


@dataclass(frozen=True, eq=False)
class _Routed(Rows):
    """Support points with their ways, the radii of shafts, the length of tips (n,), and which are by hand."""

    holds: HoldPoints
    ways: Ways
    shafts: Floats
    tip_lengths: Floats
    by_hand: Longs
    stays_alone: Bools


@dataclass(frozen=True, eq=False)
class Holds:
    """Where the bars of a support take hold: generated ones, those by hand, and what of these could not be kept."""

    generated: HoldPoints
    by_hand: HandHolds
    lost: Unkept


def find_holds(request: BarRequest) -> Holds:
    """All that takes hold. Of the parameters only those that `hold_values` gives matter here."""
    own = request.obstacles[0]
    by_hand, lost = placed_by_hand(request.hand, request.topology, request.overhangs, own)
    taken = SurfacePoints(by_hand.holds.places, by_hand.faces)
    gone = given_up(request.hand, own)
    holds = find_hold_points(
        request.topology, request.overhangs, request.chosen, request.parameters, request.protected, taken=taken,
        given_up=gone,
    )  # fmt: skip
    return Holds(without_removed(holds, request.hand, gone), by_hand, lost)


def hold_values(parameters: BarParameters, is_protected: bool) -> BarParameters:
    """The values by which bars take hold somewhere; others may change without that being looked for again.

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
    require_self_holding(parameters, request.overhangs.critical_angle)
    watch.at(0.05, "placing support points")
    hold_points = find_holds(request) if known is None else known
    holds, by_hand, lost = hold_points.generated, hold_points.by_hand, hold_points.lost
    limit = np.inf if parameters.height_limit is None else parameters.height_limit
    bare = holds.places[:, 2] > limit
    watch.at(0.25, f"finding ways for {len(holds) + len(by_hand.numbers):,} bars")
    drawn, strayed, taken = _routed_by_hand(by_hand, request)  # what is put down by hand, others keep clear of
    generated = _routed(holds.only(~bare), parameters, request, taken, Stretch(watch, 0.25, 0.7))
    every = _Routed.joined([generated, drawn])
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
    holds: HoldPoints, p: BarParameters, request: BarRequest, taken: Stretches, watch: Watch = UNWATCHED
) -> _Routed:
    grid = HeadGrid.of(request.parameters.sides, request.parameters.tip_diameter)
    ways = find_ways(
        holds, p, request.layer_height, list(request.obstacles), request.ground, watch, grid=grid, taken=taken
    )
    count = len(holds)
    return _Routed(
        holds, ways, np.full(count, p.shaft_diameter / 2), np.full(count, p.tip_length), np.full(count, -1),
        np.zeros(count, bool),
    )  # fmt: skip


def _routed_by_hand(by_hand: HandHolds, request: BarRequest) -> tuple[_Routed, Unkept, Stretches]:
    """Bars by hand, those with the same values together, and what the others keep clear of."""
    bars = [request.hand.bars[number] for number in by_hand.numbers.tolist()]
    taken = Stretches()
    routed = _routed(by_hand.holds.only(np.zeros(0, np.int64)), request.parameters, request, taken)
    unkept = Unkept()
    values = [_values_of(bar, request.parameters) for bar in bars]
    for own in sorted(set(values)):
        which = np.array([number for number, other in enumerate(values) if other == own])
        p = _with_values(request.parameters, own)
        some = _routed(by_hand.holds.only(which), p, request, taken)
        mine = [bars[number] for number in which.tolist()]
        ways, strayed = drawn_ways(some.ways, some.holds, mine, p, request.obstacles, request.ground)
        alone = np.array([bar.is_routed or bar.is_locked or own != _own(request.parameters) for bar in mine], bool)
        some = replace(some, ways=ways, by_hand=by_hand.numbers[which], stays_alone=alone)
        taken = Stretches.joined([taken, ways.stretches(p, np.flatnonzero(ways.faults == 0))])
        routed, unkept = _Routed.joined([routed, some]), _joined_unkept(unkept, strayed)
    return routed, unkept, taken


def _own(p: BarParameters) -> tuple[float, float, float]:
    return p.shaft_diameter, p.tip_diameter, p.tip_length


def _values_of(bar: HandBar, p: BarParameters) -> tuple[float, float, float]:
    typed = (bar.shaft_diameter, bar.tip_diameter, bar.tip_length)
    shaft, tip, length = (own if value is None else value for value, own in zip(typed, _own(p), strict=True))
    return shaft, tip, length


def _with_values(p: BarParameters, values: tuple[float, float, float]) -> BarParameters:
    """A stouter bar has a stouter foot as well; the values of one bar are not checked against those of the others."""
    shaft, tip, length = values
    foot = max(p.foot_diameter * shaft / p.shaft_diameter, shaft)
    return p.model_copy(
        update={"shaft_diameter": shaft, "tip_diameter": tip, "tip_length": length, "foot_diameter": foot}
    )


def _joined_unkept(*some: Unkept) -> Unkept:
    places = np.concatenate([entry.places for entry in some])
    return Unkept(frozen(places), tuple(reason for entry in some for reason in entry.reasons))


def _with_structure(bars: Bars, routed: _Routed, request: BarRequest, watch: Watch) -> Bars:
    """Rings, then trees, shared feet and braces, as far as the parameters ask for them."""
    p = request.parameters
    centres, radii = _rings(routed, p)
    trunks, trunk, landings = Trunks(), bars.trunk, bars.landings
    if p.join == "on":
        joins = np.flatnonzero((landings == ON_PLATE) & ~routed.stays_alone)
        straight = _straight(routed.ways)
        begins = np.where(straight[:, None], routed.ways.tip_bases, routed.ways.bends)[joins]
        trees = join_into_trees(
            begins, routed.holds.places[joins, 2], straight[joins], p, request.obstacles, request.ground, watch
        )
        trunk = trunk.copy()
        trunk[joins] = trees.trunk_of_bar
        landings = np.where(trunk >= 0, ON_TRUNK, landings).astype(np.uint8)
        trunks = _trunks(trees, p)
        _end_on_trunks(centres, radii, trunk, trees.tops, straight)
    feet = SharedFeet()
    if p.group_span > 0:
        watch.at(0.7, "sharing feet")
        feet = _share_feet(centres, radii, landings, trunks, request)
    bars = replace(
        bars, centres=frozen(centres), radii=frozen(radii), landings=frozen(landings), trunk=frozen(trunk),
        ends=_ends(centres, radii, routed, landings, p),
        trunks=Trunks(*(frozen(getattr(trunks, key)) for key in ("centres", "radii", "below", "contacts"))), feet=feet,
    )  # fmt: skip
    if p.brace != "none":
        watch.at(0.8, "bracing")
        bars = replace(bars, braces=braced(columns_of(bars), p, request.obstacles))
    return bars


def _ends(centres: Floats, radii: Floats, routed: _Routed, landings: np.ndarray, p: BarParameters) -> Ends:
    """Both ends of all bars; those that do not stand on a part end level below."""
    grid = HeadGrid.of(p.sides, p.tip_diameter)
    level = level_heads(centres[:, LOWER_END, 2], radii[:, LOWER_END], grid)
    lands = landings == ON_PART
    lower = Heads(
        np.where(lands[:, None], routed.ways.lower.tops, level.tops),
        np.where(lands[:, None], routed.ways.lower.necks, level.necks),
        level.radii, level.fits,
    )  # fmt: skip
    return Ends(grid, routed.ways.upper, lower)


def columns_of(bars: Bars) -> Uprights:
    """What stands on plate or part: bars that do, then trunks that stand on the plate."""
    own = np.flatnonzero(bars.landings != ON_TRUNK)
    standing = np.flatnonzero(bars.trunks.below < 0)
    rings = [bars.centres[own][:, [SHAFT_START, BEND, SHAFT_END]], bars.trunks.centres[standing][:, 2:]]
    return Uprights(np.concatenate(rings), np.concatenate([own, len(bars) + standing]))


def _straight(ways: Ways) -> Bools:
    level = np.stack([ways.bends - ways.bottoms, ways.tip_bases - ways.bottoms])[..., :2]
    result: Bools = np.logical_and.reduce(np.abs(level) < _STRAIGHT_MM, axis=(0, 2))
    return result


def _rings(routed: _Routed, p: BarParameters) -> tuple[Floats, Floats]:
    """(n, 7, 3) centres and (n, 7) radii from the lower end to the tip's end, each bar on its own."""
    ways, shafts = routed.ways, routed.shafts
    on_part, straight = ways.landings == ON_PART, _straight(ways)
    # A foot, or a tip at the lower end, takes no more than the stretch below the bend.
    height = (ways.tip_bases - ways.bottoms)[:, 2]
    below_bend = np.where(straight, 0.45 * height, np.minimum(0.45 * height, 0.9 * (ways.bends - ways.bottoms)[:, 2]))
    profile = foot_profile(ways.foot_radii, shafts, below_bend, p)
    levels, sizes = _lower_ends(ways, shafts, routed.tip_lengths, below_bend)
    centres = np.empty((len(shafts), RINGS, 3))
    radii = np.empty((len(shafts), RINGS))
    for ring in (LOWER_END, FOOT_TOP, SHAFT_START):
        centres[:, ring] = ways.bottoms
        centres[:, ring, 2] += np.where(on_part, levels[ring], profile.heights[ring])
        radii[:, ring] = np.where(on_part, sizes[ring], profile.radii[ring])
    centres[:, BEND] = ways.bends
    # The start of the shaft lies on the way to the bend, also where that leans.
    lean = centres[:, BEND] - ways.bottoms
    share = (centres[:, SHAFT_START, 2] - ways.bottoms[:, 2]) / np.maximum(lean[:, 2], 1e-9)
    centres[:, SHAFT_START, :2] = ways.bottoms[:, :2] + share[:, None] * lean[:, :2]
    middles = (centres[:, SHAFT_START] + ways.tip_bases) / 2
    centres[straight, BEND] = middles[straight]
    for ring, place in zip(range(SHAFT_END, RINGS), (ways.tip_bases, ways.necks, ways.tip_ends), strict=True):
        centres[:, ring] = place
    radii[:, BEND] = radii[:, SHAFT_END] = shafts
    radii[:, SHAFT_END + 1 :] = ways.upper.radii[:, None]
    return centres, radii


def _lower_ends(
    ways: Ways, shafts: Floats, lengths: Floats, rooms: Floats
) -> tuple[tuple[Floats, Floats, Floats], tuple[Floats, Floats, Floats]]:
    """Of bars on a part the heights (n,) over their bottoms and radii of the three lowest rings: head, middle, shaft.

    The shaft begins where the lower tip ends, but clear of the highest corner of the head and of the slope beside it.
    """
    middles = ways.lower.middles - ways.bottoms[:, 2]
    highest = ways.lower.tops.max(axis=1) - ways.bottoms[:, 2]
    tips = ways.lower.radii
    wider = np.maximum(shafts - tips, 0.0) * ways.lower.slopes()
    start = np.minimum(
        np.maximum(lengths, highest + LEVEL_SHARE * lengths + wider), np.maximum(rooms, highest + LEAST_TIP_MM)
    )
    between = (highest + start) / 2
    share = (between - middles) / np.maximum(start - middles, 1e-9)
    return (middles, between, start), (tips, tips + share * (shafts - tips), shafts)


def _end_on_trunks(centres: Floats, radii: Floats, trunk: Longs, tops: Floats, straight: Bools) -> None:
    """Joined bars end a little below the top of their trunk; those that bend do so above it."""
    joined = np.flatnonzero(trunk >= 0)
    nodes, bases = tops[trunk[joined]], centres[joined, SHAFT_END]
    bends = np.where(straight[joined, None], nodes + 2 / 3 * (bases - nodes), centres[joined, BEND])
    centres[joined, LOWER_END] = nodes - [0, 0, _SUNK_MM]
    centres[joined, FOOT_TOP], centres[joined, BEND] = nodes, bends
    centres[joined, SHAFT_START] = (nodes + bends) / 2
    radii[joined, :SHAFT_END] = radii[joined, SHAFT_END, None]


def _trunks(trees: Trees, p: BarParameters) -> Trunks:
    shafts = trees.radii
    tops, stands = trees.tops, trees.below < 0
    lower = np.where(stands[:, None], tops * [1, 1, 0], tops[trees.below])
    profile = foot_profile(trees.foot_radii, shafts, 0.45 * tops[:, 2], p)
    centres = np.empty((len(tops), TRUNK_RINGS, 3))
    radii = np.repeat(shafts[:, None], TRUNK_RINGS, axis=1)
    for ring in range(3):
        share = (-_SUNK_MM / np.maximum((tops - lower)[:, 2], 1e-9), 0.0, 1 / 3)[ring]
        on_way = lower + np.reshape(share, (-1, 1)) * (tops - lower)
        on_way[:, :2] = np.where(ring == 0, lower[:, :2], on_way[:, :2])
        standing = lower.copy()
        standing[:, 2] = profile.heights[ring]
        centres[:, ring] = np.where(stands[:, None], standing, on_way)
        radii[:, ring] = np.where(stands, profile.radii[ring], shafts)
    centres[:, 4] = tops
    centres[:, 3] = (centres[:, 2] + tops) / 2
    return Trunks(centres, radii, trees.below, trees.contacts)


def _share_feet(
    centres: Floats, radii: Floats, landings: np.ndarray, trunks: Trunks, request: BarRequest
) -> SharedFeet:
    """Shared feet; bars and trunks over one keep no foot of their own and begin within it."""
    bars, stems = np.flatnonzero(landings == ON_PLATE), np.flatnonzero(trunks.below < 0)
    lower = np.concatenate([centres[bars, LOWER_END], trunks.centres[stems, 0]])
    sizes = np.concatenate([radii[bars, LOWER_END], trunks.radii[stems, 0]])
    feet, owner = shared_feet(
        lower[:, :2], sizes, request.parameters, request.overhangs.critical_angle, request.obstacles, request.ground
    )
    for rings, widths, which, on in (
        (centres, radii, bars, owner[: len(bars)]),
        (trunks.centres, trunks.radii, stems, owner[len(bars) :]),
    ):
        which = which[on >= 0]
        top = rings[which, SHAFT_START, 2]
        rings[which, LOWER_END, 2], rings[which, FOOT_TOP, 2] = 0.4 * top, 0.7 * top
        widths[which, LOWER_END] = widths[which, FOOT_TOP] = widths[which, SHAFT_START]
    return feet
