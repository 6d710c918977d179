"""`support_through_part`, `bar_no_way`, `limit_leaves_bare`: can the bars be built as they are meant?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, SupportState
from lean_trellis.core.mesh.distance import segment_clearances
from lean_trellis.core.supports.struts import BLOCKED, NO_WAY_WORDS, SHAFT_START


def check_bars(state: BuildState) -> Iterator[Finding]:
    """Findings on the bars of every support."""
    for held in state.supports:
        state.watch.at(0.9, f"checking the bars of {state.name_of(held.support.part_id)}")
        yield from _through_part(state, held)
        yield from _no_way(state, held)
        yield from _left_bare(state, held)


def _through_part(state: BuildState, held: SupportState) -> Iterator[Finding]:
    """Measured anew, by exact distance of each shaft's middle line from every part."""
    bars = held.bars
    if not len(bars):
        return
    lows, tops, _ = bars.shafts()
    shaft = np.tile(bars.radii[:, SHAFT_START], 2)
    # The ends of the shaft are where it narrows to meet the part: a radius of them is left out.
    along = tops - lows
    length = np.maximum(np.linalg.norm(along, axis=1), 1e-9)
    trim = along * (np.minimum(shaft, length / 2) / length)[:, None]
    upper = np.arange(len(tops)) >= len(bars)
    tops, lows = tops - trim * upper[:, None], lows + trim * ~upper[:, None]
    for part in state.parts:
        distance = segment_clearances(part.overhangs.mesh, tops, lows, shaft)
        through = np.flatnonzero(distance < shaft - 1e-6)
        if len(through):
            worst = through[int(distance[through].argmin())]
            count = len(np.unique(through % len(bars)))
            yield Finding(
                "support_through_part", "stop", part.part.name,
                f"{count} bar{'s' * (count > 1)} of {state.name_of(held.support.part_id)} "
                f"run{'s' * (count == 1)} into it, the worst by {shaft[worst] - distance[worst]:.2f} mm",
                cause="a shaft is nearer to the part than its own radius",
                at_mm=tuple(((tops[worst] + lows[worst]) / 2).tolist()), value=float(distance[worst]),
                limit=float(shaft[worst]), unit="mm", part_id=part.part.id, support_id=held.support.id,
                cures=(Cure("Open its support", "open_station", (("station", "supports"),)),),
            )  # fmt: skip


def _no_way(state: BuildState, held: SupportState) -> Iterator[Finding]:
    bars = held.bars
    for reason in np.unique(bars.missed_reasons).tolist():
        missed = bars.missed_holds[bars.missed_reasons == reason]
        allow = Cure("Allow landing on the part", "set_parameter", (("key", "landing"), ("value", "plate_first")))
        look = Cure("Open its support", "open_station", (("station", "supports"),))
        yield Finding(
            "bar_no_way", "caution", state.name_of(held.support.part_id),
            f"{len(missed)} hold point{'s' * (len(missed) > 1)} found no way: {NO_WAY_WORDS[reason]}",
            cause=NO_WAY_WORDS[reason], at_mm=tuple(missed[0].tolist()), value=float(len(missed)), limit=0.0,
            unit="bars", part_id=held.support.part_id, support_id=held.support.id,
            cures=(allow, look) if reason == BLOCKED else (look,),
        )  # fmt: skip


def _left_bare(state: BuildState, held: SupportState) -> Iterator[Finding]:
    bare, limit = held.bars.bare_holds, held.support.parameters.height_limit
    if len(bare) and limit is not None:
        yield Finding(
            "limit_leaves_bare", "caution", state.name_of(held.support.part_id),
            f"the height limit of {limit:g} mm leaves {len(bare)} hold point{'s' * (len(bare) > 1)} without a bar",
            cause="they lie higher above the plate than the limit", at_mm=tuple(bare[bare[:, 2].argmax()].tolist()),
            value=float(bare[:, 2].max()), limit=limit, unit="mm", part_id=held.support.part_id,
            support_id=held.support.id,
            cures=(Cure("Switch the height limit off", "set_parameter", (("key", "height_limit"), ("value", None))),),
        )  # fmt: skip
