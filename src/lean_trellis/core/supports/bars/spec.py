"""The family of bars."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from lean_trellis.core.progress import Watch
from lean_trellis.core.supports.bars.facts.faults import bar_faults
from lean_trellis.core.supports.bars.facts.grips import grips_of_bars
from lean_trellis.core.supports.bars.facts.loads import figures_of_bars
from lean_trellis.core.supports.bars.facts.report import bar_numbers, bars_in_words, exported_bars, missed_in_words
from lean_trellis.core.supports.bars.generate import BarRequest, find_holds, generate_bars, hold_values
from lean_trellis.core.supports.bars.parameters import (
    BarParameters,
    bar_parameters,
    require_room_between,
    require_self_holding,
)
from lean_trellis.core.supports.bars.struts import Bars, no_bars
from lean_trellis.core.supports.bars.ways.lean import FARTHEST_MM
from lean_trellis.core.supports.common.plain import (
    follows_nothing,
    footprint_of_mesh,
    mesh_itself,
    shadow_of_mesh,
)  # fmt: skip
from lean_trellis.core.supports.common.spec import FamilySpec, FirstStep, Surroundings, register
from lean_trellis.core.supports.common.support import Support

_TRUNK_FEET_MM = 10.0
"""Feet of trunks are wider than those of bars by less than this."""


def _generated(request: BarRequest, known: Any, watch: Watch) -> Bars:
    if not request.chosen and request.hand.is_empty:
        return no_bars(request.parameters.sides)
    return generate_bars(request, watch, known=known)


def _required(parameters: BarParameters, critical_angle: float, part_height: float) -> None:
    require_self_holding(parameters, critical_angle)
    require_room_between(parameters)


def _earlier_bars(support: Support, others: Sequence[Support]) -> tuple[Support, ...]:
    """The supports of bars of the same part that come before it, if it keeps clear of other bars at all."""
    if bar_parameters(support).bar_clearance is None:
        return ()
    before = others[: [other.id for other in others].index(support.id)]
    mine = (other for other in before if other.part_id == support.part_id)
    return tuple(other for other in mine if isinstance(other.parameters, BarParameters))


def _reach(support: Support, around: Surroundings) -> float:
    """As far as a bar leans out by itself or was led by hand, with the width of its foot and what it keeps clear."""
    p = bar_parameters(support)
    led = [np.hypot(*at[:2]) for bar in support.hand.bars for at in (bar.foot, bar.bend) if at is not None]
    width = max(p.foot_diameter, p.shaft_diameter, p.tip_diameter) / 2
    trunks = _TRUNK_FEET_MM if p.join == "on" else 0.0
    return max([FARTHEST_MM, *led]) + width + p.group_span + p.part_clearance + trunks


BARS: FamilySpec[BarParameters, Bars] = FamilySpec(
    title="Bars",
    model=BarParameters,
    structure=Bars,
    region_kinds=("face", "edge", "point"),
    is_ground=False,
    joins=False,
    gets_room=True,
    first_step=FirstStep(hold_values, find_holds),
    generate=_generated,
    require=_required,
    reach_mm=_reach,
    follows=follows_nothing,
    keeps_clear_of=_earlier_bars,
    shadow=shadow_of_mesh,
    footprint=footprint_of_mesh,
    solid=mesh_itself,
    drawn=lambda bars, most: None,
    export=exported_bars,
    figures=bar_numbers,
    words=bars_in_words,
    trouble=missed_in_words,
    grips=grips_of_bars,
    faults=bar_faults,
    loads=figures_of_bars,
)
register(BARS)
