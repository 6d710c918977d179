"""What can be wrong with lattices and walls: do they run into parts, was everything built, do walls end in the air?"""

from __future__ import annotations

from collections.abc import Iterator
from typing import TypeAlias

import numpy as np

from lean_trellis.core.arrays import Bools
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.supports.common.faults import (
    FamilyView,
    Fault,
    Neighbour,
    Remedy,
    empty_support,
    manual_edits_lost,
    place_of,
)
from lean_trellis.core.supports.panels.clearance import slabs_met
from lean_trellis.core.supports.panels.panels import Panels
from lean_trellis.core.supports.panels.parameters import PanelParameters

PanelView: TypeAlias = FamilyView[PanelParameters, Panels]
_SPARE_MM = 0.05
_LOOKED_AT = (0.25, 0.75)
_LEAST_LEFT_OUT_MM = 1.0
_DOWN = np.array([[0.0, 0.0, -1.0]])


def panel_faults(view: PanelView) -> Iterator[Fault]:
    """All faults of the walls of one support."""
    yield from _through_part(view)
    yield from _left_out(view)
    yield from _in_the_air(view)
    yield from manual_edits_lost(view.structure.unkept)
    yield from empty_support(view.structure)


def _through_part(view: PanelView) -> Iterator[Fault]:
    """Measured anew by rays from edge to edge, in the middle and on both sides; bites are left out."""
    walls = view.structure
    for number, part in enumerate(view.parts):
        through = _met_within(view, part)
        if not through.any():
            continue
        first = int(np.flatnonzero(through)[0])
        length = float(walls.lengths_mm[through].sum())
        yield Fault(
            "support_through_part", "stop", f"walls of {view.name} run into it over {length:.1f} mm",
            cause="the part has changed since, or is finer than the walls' columns lie apart",
            at_mm=(*walls.middles[first].tolist(), float(walls.slabs.high[first].mean())), value=length, limit=0.0,
            unit="mm", part=number,
        )  # fmt: skip


def _met_within(view: PanelView, part: Neighbour) -> Bools:
    """(k,): slabs that a part lies in, beyond the bites; looked for at other places than when they were made."""
    walls = view.structure
    return slabs_met(walls.columns, walls.slabs, [part.obstacle], walls.thickness, _LOOKED_AT)


def _left_out(view: PanelView) -> Iterator[Fault]:
    """Stretches of wall that could not be built, by reason."""
    left_out = view.structure.left_out
    reasons = np.array(left_out.reasons)
    for reason in dict.fromkeys(left_out.reasons):
        mine = reasons == reason
        length = float(left_out.lengths_mm[mine].sum())
        if length < _LEAST_LEFT_OUT_MM:
            continue
        place = left_out.places[int(np.flatnonzero(mine)[0])]
        yield Fault(
            "wall_left_out", "caution", f"{length:.1f} mm of wall left out: {reason}", cause=reason,
            at_mm=place_of(place), value=length, limit=0.0, unit="mm",
        )  # fmt: skip


def _in_the_air(view: PanelView) -> Iterator[Fault]:
    """Walls that end at a level with nothing there: no plate, no part, no other support."""
    walls = view.structure
    if view.parameters.ends_on != "level" or walls.is_empty:
        return
    slabs = walls.slabs
    lowest = np.full(len(walls.columns), np.inf)
    np.minimum.at(lowest, slabs.left, slabs.low.min(axis=1))
    ends = np.flatnonzero((slabs.low.min(axis=1) <= lowest[slabs.left] + 1e-9) & ~slabs.low_bites)
    ends = ends[slabs.low[ends].max(axis=1) > _SPARE_MM]
    middles = walls.middles[ends]
    stands = np.zeros(len(ends), bool)
    starts = np.column_stack([middles, slabs.low[ends].mean(axis=1) + _SPARE_MM])
    for other in view.others:
        if not other.is_empty:
            stands |= RayTree(other.mesh).first_hits(starts, _DOWN).distance < 4 * _SPARE_MM
    hanging = ends[~stands]
    if len(hanging):
        length = float(walls.lengths_mm[hanging].sum())
        height = float(slabs.low[hanging[0]].mean())
        yield Fault(
            "walls_end_in_air", "caution", f"{length:.1f} mm of wall end in the air at {height:.2f} mm",
            cause="they end at a level with nothing below to stand on",
            at_mm=(*middles[~stands][0].tolist(), height), value=length, limit=0.0, unit="mm",
            remedies=(Remedy("End them on the surface below", ("ends_on", "below")),),
        )  # fmt: skip
