"""Figures of each bar: length, lean, slenderness between braces, loads and how much of its strength they use."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from lean_trellis.core.arrays import Bools, Bytes, Floats, Longs, frozen
from lean_trellis.core.strength.capacity import (
    HINGED,
    SWAYING,
    bending_stresses,
    column_loads,
    second_moments,
    slenderness,
)
from lean_trellis.core.strength.figures import FIGURES as GRIP_FIGURES
from lean_trellis.core.strength.figures import UsedFigures
from lean_trellis.core.strength.grip_loads import GripLoads
from lean_trellis.core.supports.bars.struts import (
    BEND,
    FOOT_TOP,
    LOWER_END,
    ON_TRUNK,
    SHAFT_END,
    SHAFT_START,
    TIP_END,
    Bars,
    leans_of,
)
from lean_trellis.core.supports.common.solids import polygon_share

TIP, BUCKLING, BENDING = 0, 1, 2
USED_WORDS = {TIP: "tip tension", BUCKLING: "buckling", BENDING: "bending"}


@dataclass(frozen=True)
class BarStrength:
    """What bears and what pushes: MPa for strength and stiffness.

    `push_n_per_mm` pushes a bar sideways in proportion to its width, `push_n` with one force; `source` tells where the
    constants come from.
    """

    strength: float
    stiffness: float
    push_n: float = 0.0
    push_n_per_mm: float = 0.0
    source: str = ""


@dataclass(frozen=True, eq=False)
class BarFigures(UsedFigures):
    """One entry a bar. `used` is load over capacity: above 1 it fails; `used_by` is TIP, BUCKLING or BENDING.

    `free_mm` is the longest stretch between braces, `slenderness` K times that over the radius of gyration, K as for
    buckling; `loads_n` acts along the bar, `pushes_n` sideways. A bar on a trunk counts with the worst of what is below
    it.
    """

    places: Floats
    lengths_mm: Floats
    leans_deg: Floats
    free_mm: Floats
    slenderness: Floats
    loads_n: Floats
    pushes_n: Floats
    used: Floats
    used_by: Bytes
    contact_mm2: Floats
    levels: Floats
    """The height at which each is used most at its tip, mm."""
    trunk_used: Floats = field(default_factory=lambda: np.zeros(0))
    source: str = ""
    gives_mm: Floats = field(default_factory=lambda: np.zeros(0))
    feet_used: Floats = field(default_factory=lambda: np.zeros(0))
    brace_loads_n: Floats = field(default_factory=lambda: np.zeros(0))
    brace_used: Floats = field(default_factory=lambda: np.zeros(0))
    """(b,) both: what each brace takes, and how much of what it bears that is."""


FIGURES = {
    **GRIP_FIGURES, "free_mm": ("Free length", "mm"), "lengths_mm": ("Length", "mm"), "leans_deg": ("Lean", "°"),
    "feet_used": ("Hold of the foot", ""),
}  # fmt: skip
"""What bars can be coloured by: words and unit."""


def bar_figures(bars: Bars, loads: GripLoads, strength: BarStrength) -> BarFigures:
    """Figures of the bars, whose tips carry `loads` (n,)."""
    shafts = bars.radii[:, SHAFT_START]
    own, trunks = free_lengths(bars)
    braced = are_braced(bars)
    pushes = np.maximum(_pushes(shafts, strength), loads.sides)
    slender = np.where(braced[: len(bars)], HINGED, SWAYING) * slenderness(own, shafts, bars.sides)
    stacked = _ratios(
        _Carried(loads.used, loads.pushes, pushes), shafts, own, braced[: len(bars)], bars.sides, strength
    )
    trunk_used, trunk_by = _trunks_used(bars, loads, trunks, braced[len(bars) :], strength)
    on_trunk = np.flatnonzero(bars.trunk >= 0)
    used, by = stacked.max(axis=1), stacked.argmax(axis=1)
    below = trunk_used[bars.trunk[on_trunk]]
    heavier = below > used[on_trunk]
    used[on_trunk[heavier]] = below[heavier]
    by[on_trunk[heavier]] = trunk_by[bars.trunk[on_trunk[heavier]]]
    return BarFigures(
        bars.holds, bars.lengths_mm, frozen(_leans(bars)), frozen(own), frozen(slender),
        frozen(np.maximum(loads.pulls, loads.pushes)), frozen(pushes), frozen(used), frozen(by.astype(np.uint8)),
        bars.contact_areas_mm2, frozen(loads.levels), frozen(trunk_used), strength.source,
    )  # fmt: skip


def are_braced(bars: Bars) -> Bools:
    """Of each bar, then each trunk, whether a brace holds it: then it does not sway at the top of a stretch."""
    result = np.zeros(len(bars) + len(bars.trunks), bool)
    result[bars.braces.columns.reshape(-1)] = True
    return result


def _pushes(radii: Floats, strength: BarStrength) -> Floats:
    """(n,) N sideways on struts of radii (n,)."""
    return strength.push_n + 2 * radii * strength.push_n_per_mm


@dataclass(frozen=True, eq=False)
class _Carried:
    """How much of what is pulled is used (n,), and what columns are pressed and pushed sideways with (n,), N."""

    pulled: Floats
    pressed: Floats
    sideways: Floats


def _ratios(
    carried: _Carried, radii: Floats, lengths: Floats, braced: Bools, sides: int, strength: BarStrength
) -> Floats:
    """(n, 3): load over capacity in tension over the least area, in buckling and in bending, in this order."""
    moments, sections = second_moments(radii, sides), polygon_share(sides) * radii**2
    free = np.where(braced, HINGED, SWAYING)
    bears = column_loads(moments, sections, lengths, free, strength.stiffness, strength.strength)
    return np.stack([
        carried.pulled,
        carried.pressed / np.maximum(bears, 1e-12),
        bending_stresses(carried.sideways, lengths, radii, sides) / strength.strength,
    ], axis=1)  # fmt: skip


def _leans(bars: Bars) -> Floats:
    """(n,): the steepest lean of a bar's shaft, above or below its bend."""
    lower, upper, of_bar = bars.shafts()
    result: Floats = np.zeros(len(bars))
    np.maximum.at(result, of_bar, leans_of(lower, upper))
    return result


def free_lengths(bars: Bars) -> tuple[Floats, Floats]:
    """The longest stretch of each bar (n,) and trunk (t,) between what holds it: braces, trunks, plate, part."""
    starts = np.where(bars.landings == ON_TRUNK, FOOT_TOP, LOWER_END)
    number = np.arange(len(bars))
    bar_lows = bars.centres[number, starts, 2]
    bar_ways = np.concatenate([bars.centres[number, starts][:, None], bars.centres[:, BEND : SHAFT_END + 1]], axis=1)
    trunk_ways = bars.trunks.centres[:, [0, 3, 4]]
    ways = np.concatenate([bar_ways, trunk_ways])
    steps = np.linalg.norm(np.diff(ways, axis=1), axis=2).sum(axis=1)
    rises = np.maximum(ways[:, 2, 2] - ways[:, 0, 2], 1e-9)
    count = len(ways)
    nodes = [np.append(bar_lows, trunk_ways[:, 0, 2]), ways[:, 2, 2]]
    columns = [np.arange(count), np.arange(count)]
    braces = bars.braces
    for side, ends in ((0, braces.starts), (1, braces.stops)):
        nodes.append(ends[:, 2])
        columns.append(braces.columns[:, side])
    heights, owner = np.concatenate(nodes), np.concatenate(columns)
    order = np.lexsort((heights, owner))
    heights, owner = heights[order], owner[order]
    same = owner[1:] == owner[:-1]
    gaps = np.where(same, np.diff(heights), 0)
    longest = np.zeros(count)
    np.maximum.at(longest, owner[1:], gaps)
    free = longest * steps / rises
    return free[: len(bars)], free[len(bars) :]


def _trunks_used(
    bars: Bars, loads: GripLoads, lengths: Floats, braced: Bools, strength: BarStrength
) -> tuple[Floats, Longs]:
    """How much of its strength each trunk uses, or one below it, and by what: (t,) both."""
    trunks = bars.trunks
    pulled, pressed, sideways = (
        summed_down(bars, of_bar) for of_bar in (loads.pulls, loads.pushes, loads.sides)
    )  # fmt: skip
    radii = trunks.radii[:, 2]
    sections = polygon_share(bars.sides) * radii**2
    carried = _Carried(
        pulled / np.maximum(sections * strength.strength, 1e-12), pressed,
        np.maximum(_pushes(radii, strength), sideways),
    )  # fmt: skip
    stacked = _ratios(carried, radii, lengths, braced, bars.sides, strength)
    used, by = stacked.max(axis=1), stacked.argmax(axis=1)
    for number in range(len(trunks) - 1, -1, -1):
        below = trunks.below[number]
        if below >= 0 and used[below] > used[number]:
            used[number], by[number] = used[below], by[below]
    return used, by


def summed_down(bars: Bars, loads: Floats) -> Floats:
    """(t,) N: what each trunk carries of the loads (n,) of the bars on it and on those above it."""
    trunks = bars.trunks
    carried = np.zeros(len(trunks))
    np.add.at(carried, bars.trunk[bars.trunk >= 0], loads[bars.trunk >= 0])
    for number in range(len(trunks)):  # a trunk is made after those above it
        if trunks.below[number] >= 0:
            carried[trunks.below[number]] += carried[number]
    return carried


def holding_areas(bars: Bars) -> Floats:
    """(n,) mm²: the area with which each bar holds, at its tip alone."""
    result: Floats = polygon_share(bars.sides) * bars.radii[:, TIP_END] ** 2
    return result
