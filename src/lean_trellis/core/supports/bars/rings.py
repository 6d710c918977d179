"""From ways to rings: what bars, trunks and shared feet are made of."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Bools, Floats, Longs, Rows, frozen
from lean_trellis.core.supports.bars.ends.feet import FootProfile, foot_profile, shared_feet
from lean_trellis.core.supports.bars.ends.heads import Ends, HeadGrid, Heads, level_heads
from lean_trellis.core.supports.bars.ends.landing import Stands, lower_rings
from lean_trellis.core.supports.bars.holds import SupportPoints
from lean_trellis.core.supports.bars.parameters import BarParameters
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
    SharedFeet,
)
from lean_trellis.core.supports.bars.trees.joining import Trees
from lean_trellis.core.supports.bars.trees.trunks import TRUNK_RINGS, Trunks
from lean_trellis.core.supports.bars.ways.route import Ways
from lean_trellis.core.supports.common.request import Request

_STRAIGHT_MM = 1e-9
_SUNK_MM = 0.3
"""How far branches go into the trunk below them, so that both are one when united."""


@dataclass(frozen=True, eq=False)
class Routed(Rows):
    """Support points with their ways, the radii of shafts, the length of tips (n,), and which are by hand."""

    holds: SupportPoints
    ways: Ways
    shafts: Floats
    tip_lengths: Floats
    by_hand: Longs
    stays_alone: Bools


def is_straight(ways: Ways) -> Bools:
    """(n,): whether each goes straight down from its tip."""
    level = np.stack([ways.bends - ways.bottoms, ways.tip_bases - ways.bottoms])[..., :2]
    result: Bools = np.logical_and.reduce(np.abs(level) < _STRAIGHT_MM, axis=(0, 2))
    return result


def rings_of(routed: Routed, p: BarParameters) -> tuple[Floats, Floats]:
    """(n, 7, 3) centres and (n, 7) radii from the lower end to the tip's end, each bar on its own."""
    ways, shafts = routed.ways, routed.shafts
    on_part, straight = ways.landings == ON_PART, is_straight(ways)
    # A foot, or a tip at the lower end, takes no more than the stretch below the bend.
    height = (ways.tip_bases - ways.bottoms)[:, 2]
    below_bend = np.where(straight, 0.45 * height, np.minimum(0.45 * height, 0.9 * (ways.bends - ways.bottoms)[:, 2]))
    profile = foot_profile(ways.foot_radii, shafts, below_bend, p)
    levels, sizes = lower_rings(ways.lower, shafts, routed.tip_lengths, below_bend, ways.bottoms[:, 2])
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


def end_on_trunks(centres: Floats, radii: Floats, trunk: Longs, tops: Floats, straight: Bools) -> None:
    """Joined bars end a little below the top of their trunk; those that bend do so above it."""
    joined = np.flatnonzero(trunk >= 0)
    nodes, bases = tops[trunk[joined]], centres[joined, SHAFT_END]
    bends = np.where(straight[joined, None], nodes + 2 / 3 * (bases - nodes), centres[joined, BEND])
    centres[joined, LOWER_END] = nodes - [0, 0, _SUNK_MM]
    centres[joined, FOOT_TOP], centres[joined, BEND] = nodes, bends
    centres[joined, SHAFT_START] = (nodes + bends) / 2
    radii[joined, :SHAFT_END] = radii[joined, SHAFT_END, None]


def trunks_of(trees: Trees, p: BarParameters) -> Trunks:
    """The rings of trunks: those on the plate with a foot, those on a part narrowing to a lower end as bars do."""
    shafts = trees.radii
    tops, stands, lands = trees.tops, trees.below < 0, (trees.below < 0) & (trees.grounds > 0)
    lower = np.where(stands[:, None], tops * [1, 1, 0], tops[trees.below])
    profile = foot_profile(trees.foot_radii, shafts, 0.45 * tops[:, 2], p)
    narrow = _landed_profile(trees, p)
    centres = np.empty((len(tops), TRUNK_RINGS, 3))
    radii = np.repeat(shafts[:, None], TRUNK_RINGS, axis=1)
    for ring in range(3):
        share = (-_SUNK_MM / np.maximum((tops - lower)[:, 2], 1e-9), 0.0, 1 / 3)[ring]
        on_way = lower + np.reshape(share, (-1, 1)) * (tops - lower)
        on_way[:, :2] = np.where(ring == 0, lower[:, :2], on_way[:, :2])
        standing = lower.copy()
        standing[:, 2] = np.where(lands, narrow.heights[ring], profile.heights[ring])
        centres[:, ring] = np.where(stands[:, None], standing, on_way)
        radii[:, ring] = np.where(lands, narrow.radii[ring], np.where(stands, profile.radii[ring], shafts))
    centres[:, 4] = tops
    centres[:, 3] = (centres[:, 2] + tops) / 2
    landings = np.where(lands, ON_PART, np.where(stands, ON_PLATE, ON_TRUNK)).astype(np.uint8)
    return Trunks(
        centres, radii, frozen(trees.below), frozen(trees.contacts), frozen(landings), trees.saved_mm3, trees.ends
    )


def _landed_profile(trees: Trees, p: BarParameters) -> FootProfile:
    """The three lowest rings of trunks that stand on a part; the lowest at the middle of its head."""
    if trees.ends is None:
        nothing = np.zeros(len(trees.tops))
        return FootProfile((nothing, nothing, nothing), (nothing, nothing, nothing))
    stands = Stands.of_trunks(trees.tops, trees.grounds, np.zeros_like(trees.tops), trees.radii, trees.foot_radii, p)
    heights, radii = lower_rings(trees.ends.heads, stands.shafts, stands.lengths, stands.rooms, trees.grounds)
    low, between, start = (trees.grounds + height for height in heights)
    return FootProfile((low, between, start), radii)


def share_feet(
    centres: Floats, radii: Floats, landings: np.ndarray, trunks: Trunks, request: Request[BarParameters]
) -> SharedFeet:
    """Shared feet; bars and trunks over one keep no foot of their own and begin within it."""
    bars, stems = np.flatnonzero(landings == ON_PLATE), np.flatnonzero(trunks.landings == ON_PLATE)
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


def ends_of(centres: Floats, radii: Floats, routed: Routed, landings: np.ndarray, p: BarParameters) -> Ends:
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
