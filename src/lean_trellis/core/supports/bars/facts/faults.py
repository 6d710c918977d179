"""What can be wrong with bars: do they run into parts, has each a clear path, do they stand too slender?"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TypeAlias

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh.distance import segment_clearances, segment_segment_distances
from lean_trellis.core.supports.bars.clearing import Stretches, too_near
from lean_trellis.core.supports.bars.facts.figures import free_lengths
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.struts import NO_WAY_WORDS, ON_TRUNK, SHAFT_START, TIP_END, Bars, without_path
from lean_trellis.core.supports.common.faults import (
    LOOK,
    FamilyView,
    Fault,
    Remedy,
    empty_support,
    manual_edits_lost,
    place_of,
)
from lean_trellis.core.supports.common.obstacle import DOWN, clearances

BarView: TypeAlias = FamilyView[BarParameters, Bars]
_MOST_LEAN_DEG = 60
_UP = np.array([0.0, 0.0, 1.0])
_DEPTH_SPARE_MM, _DEEPEST_MM, _LENGTH_SPARE_MM = 0.03, 5.0, 0.05


def bar_faults(view: BarView) -> Iterator[Fault]:
    """All faults of the bars of one support."""
    yield from _through_part(view)
    yield from _heads_too_deep(view)
    yield from _no_way(view)
    yield from _too_near_by_hand(view)
    yield from _slender(view)
    yield from manual_edits_lost(view.structure.unkept)
    yield from _above_limit(view)
    if view.structure.missed.is_empty and not view.structure.unkept.reasons:
        yield from empty_support(view.structure)


def _through_part(view: BarView) -> Iterator[Fault]:
    """Measured anew, by exact distance of each strut's middle line from every part."""
    bars = view.structure
    if not len(bars):
        return
    lows, tops, widths = _struts(bars)
    for number, part in enumerate(view.parts):
        distance = segment_clearances(part.mesh, tops, lows, widths)
        through = np.flatnonzero(distance < widths - 1e-6)
        if len(through):
            worst = through[int(distance[through].argmin())]
            own = through < 2 * len(bars)
            count = len(np.unique(through[own] % len(bars))) + int((~own).sum())
            yield Fault(
                "support_through_part", "stop",
                f"{count} bar{'s' * (count > 1)} of {view.name} run{'s' * (count == 1)} into it, "
                f"the worst by {widths[worst] - distance[worst]:.2f} mm",
                cause="a shaft is nearer to the part than its own radius",
                at_mm=place_of((tops[worst] + lows[worst]) / 2), value=float(distance[worst]),
                limit=float(widths[worst]), unit="mm", part=number,
            )  # fmt: skip


def _heads_too_deep(view: BarView) -> Iterator[Fault]:
    """Heads that go into a part by more than their bite, or at all where they are to stay off it: measured anew.

    Beside a wall a tip may reach into that as far as it is wide: from where it holds, that is no deeper.
    """
    bars, parameters = view.structure, view.parameters
    if bars.ends is None or not len(bars):
        return
    limit = parameters.bite_depth + parameters.tip_diameter / 2 if parameters.contact == "bite" else 0.0
    places = _head_places(bars)
    owners = np.repeat(np.arange(len(bars)), len(places) // len(bars))
    for number, part in enumerate(view.parts):
        hits = part.obstacle.first_hits(places, _UP)
        inside = np.isfinite(hits[0]) & (hits[1][:, 2] > 0)
        down, normals = part.obstacle.first_hits(places, DOWN)
        inside &= np.isfinite(down)
        steep = down[inside] * np.abs(normals[inside, 2]) > limit + _DEPTH_SPARE_MM
        suspects = np.flatnonzero(inside)[steep]
        if not len(suspects):
            continue
        some = places[suspects]
        depths = clearances([part.obstacle], some, some, np.full(len(some), _DEEPEST_MM))
        deep = suspects[depths > limit + _DEPTH_SPARE_MM]
        if len(deep):
            worst = int(suspects[depths.argmax()])
            count, depth = len(np.unique(owners[deep])), float(depths.max())
            yield Fault(
                "support_through_part", "stop",
                f"{count} tip{'s' * (count > 1)} of {view.name} go{'es' * (count == 1)} too deep into it, "
                f"the worst by {depth:.2f} mm",
                cause="the head of a tip is inside the part by more than its bite" if limit else
                "the head of a tip is inside the part, though it is to stay off it",
                at_mm=place_of(places[worst]), value=depth, limit=limit, unit="mm", part=number,
            )  # fmt: skip


def _head_places(bars: Bars) -> Floats:
    """(n · p, 3): all places on the heads of tips."""
    assert bars.ends is not None
    heads, grid = bars.ends.upper, bars.ends.grid
    rings, middles = heads.rings(bars.centres[:, TIP_END, :2], bars.radii[:, TIP_END], grid)
    return np.concatenate([rings.reshape(len(bars), -1, 3), middles[:, None]], axis=1).reshape(-1, 3)


def _struts(bars: Bars) -> tuple[Floats, Floats, Floats]:
    """Shafts, trunks and braces as lower and upper ends (k, 3) and radii (k,).

    The ends of shafts are where they narrow to meet the part: a radius of them is left out.
    """
    lows, tops, _ = bars.shafts()
    shaft = np.tile(bars.radii[:, SHAFT_START], 2)
    along = tops - lows
    length = np.maximum(np.linalg.norm(along, axis=1), 1e-9)
    trim = along * (np.minimum(shaft, length / 2) / length)[:, None]
    upper = np.arange(len(tops)) >= len(bars)
    starts, stops, radii = bars.members()
    return (
        np.concatenate([lows + trim * ~upper[:, None], starts]),
        np.concatenate([tops - trim * upper[:, None], stops]),
        np.concatenate([shaft, radii]),
    )


def _no_way(view: BarView) -> Iterator[Fault]:
    missed, parameters = view.structure.missed, view.parameters
    steepest = float(min(90 - view.critical_angle, _MOST_LEAN_DEG))
    for reason in np.unique(missed.reasons).tolist():
        holds = missed.holds[missed.reasons == reason]
        remedies = []
        if parameters.landing == "plate_only":
            remedies.append(Remedy("Allow landing on the part", ("landing", "plate_first")))
        if parameters.lean_limit < steepest - 0.5:
            remedies.append(Remedy(f"Let bars lean by {steepest:g}°", ("lean_limit", steepest)))
        remedies.append(Remedy("Move them to where there is a clear path", moves_missed=reason))
        yield Fault(
            "bar_no_way", "caution",
            f"{without_path(len(holds))}: {NO_WAY_WORDS[reason]}",
            cause=NO_WAY_WORDS[reason], at_mm=place_of(holds[0]), value=float(len(holds)), limit=0.0, unit="bars",
            remedies=tuple(remedies),
        )  # fmt: skip


def _too_near_by_hand(view: BarView) -> Iterator[Fault]:
    """Bars by hand stay where they were put, even where other bars are within the clearance."""
    bars, clearance = view.structure, view.parameters.bar_clearance
    by_hand = np.flatnonzero((bars.by_hand >= 0) & (bars.landings != ON_TRUNK))
    if clearance is None or not len(by_hand):
        return
    every = bars.stretches()
    mine = every.only(np.isin(every.owners, by_hand) & ~every.is_tip)
    around = Stretches.joined([every, *(one.stretches(-1) for one in view.others if isinstance(one, Bars))])
    pairs = too_near(mine, around.only(~around.is_tip), clearance)
    owners = mine.owners[pairs[:, 0]], around.owners[~around.is_tip][pairs[:, 1]]
    pairs, near = pairs[owners[0] != owners[1]], np.unique(owners[0][owners[0] != owners[1]])
    if len(near):
        one, other = mine.only(pairs[:, 0]), around.only(~around.is_tip).only(pairs[:, 1])
        apart = segment_segment_distances(one.starts, one.stops, other.starts, other.stops) - one.radii - other.radii
        worst = int(apart.argmin())
        yield Fault(
            "bars_too_near", "caution",
            f"{len(near)} bar{'s' * (len(near) > 1)} by hand {'are' if len(near) > 1 else 'is'} nearer to another bar "
            f"than {clearance:g} mm: {max(float(apart[worst]), 0.0):.2f} mm at worst",
            cause="bars by hand stay where they were put; what lies between cannot get out, or they fuse",
            at_mm=place_of((one.starts[worst] + one.stops[worst]) / 2), value=max(float(apart[worst]), 0.0),
            limit=clearance, unit="mm", remedies=(LOOK,),
        )  # fmt: skip


def _slender(view: BarView) -> Iterator[Fault]:
    """Bars that stand free over more than the free length in spite of braces."""
    bars, parameters = view.structure, view.parameters
    if parameters.brace == "none" or not len(bars):
        return
    free, _ = free_lengths(bars)
    long = np.flatnonzero(free > parameters.free_length + parameters.foot_height + _LENGTH_SPARE_MM)
    if len(long):
        worst = int(long[free[long].argmax()])
        yield Fault(
            "bar_slender", "caution",
            f"{len(long)} bar{'s' * (len(long) > 1)} {'are' if len(long) > 1 else 'is'} unbraced over more than "
            f"{parameters.free_length:g} mm: {free[worst]:.1f} mm at worst",
            cause="no neighbour is close enough for a brace, or a part is in between",
            at_mm=place_of((bars.holds[worst] + bars.centres[worst, 0]) / 2), value=float(free[worst]),
            limit=parameters.free_length, unit="mm", remedies=(LOOK,),
        )  # fmt: skip


def _above_limit(view: BarView) -> Iterator[Fault]:
    bare, limit = view.structure.missed.above_limit, view.parameters.height_limit
    if len(bare) and limit is not None:
        yield Fault(
            "limit_leaves_bare", "caution",
            f"the height limit of {limit:g} mm leaves {len(bare)} support point{'s' * (len(bare) > 1)} without a bar",
            cause="they lie higher above the plate than the limit", at_mm=place_of(bare[bare[:, 2].argmax()]),
            value=float(bare[:, 2].max()), limit=limit, unit="mm",
            remedies=(Remedy("Switch the height limit off", ("height_limit", None)),),
        )  # fmt: skip
