"""Contacts of bars that carry: tips, and the bars, trunks and braces below them as springs."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.strength.capacity import second_moments
from lean_trellis.core.strength.grips import Grips
from lean_trellis.core.supports.bars.facts.figures import free_lengths, holding_areas
from lean_trellis.core.supports.bars.struts import (
    FOOT_TOP,
    LOWER_END,
    NECK,
    ON_TRUNK,
    SHAFT_END,
    SHAFT_START,
    TIP_END,
    Bars,
)
from lean_trellis.core.supports.common.solids import polygon_share

_SHAFT = 2
"""The ring of a trunk from which on it is straight."""


def grips_of_bars(bars: Bars) -> Grips:
    """One a bar: its tip, with the springs of tip, shaft and trunks in a row.

    A trunk gives way under all that it carries, so each bar on it feels that many times the trunk's own give. Frustums
    give L / (share · r₁ · r₂), exact for a tapering rod; sideways a bar is a cantilever of its free length.
    """
    centres, radii = bars.centres, bars.radii
    number = np.arange(len(bars))
    begins = np.where(bars.landings == ON_TRUNK, FOOT_TOP, LOWER_END)
    gives = _gives(centres, radii, bars.sides, begins)
    own, stems = free_lengths(bars)
    moments = second_moments(radii[:, SHAFT_START], bars.sides)
    tips = np.linalg.norm(centres[:, TIP_END] - centres[:, SHAFT_END], axis=1)
    bends = own**3 / (3 * moments)
    turns = own / moments + tips / np.maximum(second_moments(radii[:, NECK], bars.sides), 1e-12)
    trunk_gives, trunk_bends = _trunk_gives(bars, stems)
    on_trunk = bars.trunk >= 0
    gives[on_trunk] += trunk_gives[bars.trunk[on_trunk]]
    bends[on_trunk] += trunk_bends[bars.trunk[on_trunk]]
    ways = centres[:, SHAFT_END] - centres[number, begins]
    lengths = np.linalg.norm(ways, axis=1)[:, None]
    axes = np.where(lengths > 1e-9, ways / np.maximum(lengths, 1e-9), [0.0, 0.0, 1.0])
    return Grips(
        bars.holds, holding_areas(bars), radii[:, TIP_END], bars.regions, roots_of(bars), number, axes, own, moments,
        1 / np.maximum(gives, 1e-9), 1 / np.maximum(bends, 1e-9), 1 / np.maximum(turns, 1e-9),
    )  # fmt: skip


def _gives(centres: Floats, radii: Floats, sides: int, begins: Longs | None = None) -> Floats:
    """(n,) 1/mm: how much rods of frustums shorten under a force, times E; from the ring `begins` (n,) on."""
    steps = np.linalg.norm(np.diff(centres, axis=1), axis=2)
    each = steps / np.maximum(polygon_share(sides) * radii[:, :-1] * radii[:, 1:], 1e-12)
    if begins is not None:
        each = np.where(np.arange(each.shape[1]) >= begins[:, None], each, 0.0)
    result: Floats = each.sum(axis=1)
    return result


def _trunk_gives(bars: Bars, lengths: Floats) -> tuple[Floats, Floats]:
    """(t,) each: what a bar on a trunk feels of it and all below, along and sideways, times E."""
    trunks = bars.trunks
    gives = _gives(trunks.centres, trunks.radii, bars.sides) * trunks.contacts
    bends = lengths**3 / (3 * np.maximum(second_moments(trunks.radii[:, _SHAFT], bars.sides), 1e-12)) * trunks.contacts
    for number in range(len(trunks) - 1, -1, -1):  # a trunk is made after those above it
        below = trunks.below[number]
        if below >= 0:
            gives[number] += gives[below]
            bends[number] += bends[below]
    return gives, bends


def roots_of(bars: Bars) -> Longs:
    """(n,): the piece of each bar as `footings` numbers them: itself, or the trunk at the bottom of its tree."""
    stands, low = bars.landings != ON_TRUNK, bars.trunks.below < 0
    of_bar = np.cumsum(stands) - 1
    of_trunk = int(stands.sum()) + np.cumsum(low) - 1
    root = np.arange(len(low))
    for number in range(len(low) - 1, -1, -1):
        if not low[number]:
            root[number] = root[bars.trunks.below[number]]
    result: Longs = of_bar
    on_trunk = bars.trunk >= 0
    result[on_trunk] = of_trunk[root[bars.trunk[on_trunk]]]
    return result
