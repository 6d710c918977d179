"""`support_through_part`, `bar_no_way`, `bar_slender`, `hand_work_lost`, `limit_leaves_bare`: can bars be as meant?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, SupportState
from lean_trellis.core.mesh.distance import segment_clearances
from lean_trellis.core.supports.bar_parameters import BarParameters
from lean_trellis.core.supports.figures import free_lengths
from lean_trellis.core.supports.struts import NO_WAY_WORDS, SHAFT_START, Bars


def check_bars(state: BuildState) -> Iterator[Finding]:
    """Findings on the bars of every support."""
    for held, bars, parameters in state.bars():
        state.watch.at(0.9, f"checking the bars of {state.name_of(held.support.part_id)}")
        yield from _through_part(state, held, bars)
        yield from _no_way(state, held, bars, parameters)
        yield from _slender(state, held, bars, parameters)
        yield from _not_kept(state, held, bars)
        yield from _left_bare(state, held, bars, parameters)
        yield from _serves_nothing(state, held, bars)


def _through_part(state: BuildState, held: SupportState, bars: Bars) -> Iterator[Finding]:
    """Measured anew, by exact distance of each strut's middle line from every part."""
    if not len(bars):
        return
    lows, tops, widths = _struts(bars)
    for part in state.parts:
        distance = segment_clearances(part.overhangs.mesh, tops, lows, widths)
        through = np.flatnonzero(distance < widths - 1e-6)
        if len(through):
            worst = through[int(distance[through].argmin())]
            own = through < 2 * len(bars)
            count = len(np.unique(through[own] % len(bars))) + int((~own).sum())
            yield Finding(
                "support_through_part", "stop", part.part.name,
                f"{count} bar{'s' * (count > 1)} of {state.name_of(held.support.part_id)} "
                f"run{'s' * (count == 1)} into it, the worst by {widths[worst] - distance[worst]:.2f} mm",
                cause="a shaft is nearer to the part than its own radius",
                at_mm=tuple(((tops[worst] + lows[worst]) / 2).tolist()), value=float(distance[worst]),
                limit=float(widths[worst]), unit="mm", part_id=part.part.id, support_id=held.support.id,
                cures=(Cure("Open its support", "open_station", (("station", "supports"),)),),
            )  # fmt: skip


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


def _no_way(state: BuildState, held: SupportState, bars: Bars, parameters: BarParameters) -> Iterator[Finding]:
    part = state.job.part(held.support.part_id)
    steepest = float(min(90 - state.job.critical_angle(part), 60))
    for reason in np.unique(bars.missed_reasons).tolist():
        missed = bars.missed_holds[bars.missed_reasons == reason]
        cures = []
        if parameters.landing == "plate_only":
            landing = (("key", "landing"), ("value", "plate_first"))
            cures.append(Cure("Allow landing on the part", "set_parameter", landing))
        if parameters.lean_limit < steepest - 0.5:
            lean = (("key", "lean_limit"), ("value", steepest))
            cures.append(Cure(f"Let bars lean by {steepest:g}°", "set_parameter", lean))
        cures.append(Cure("Move them to where there is a way", "move_holds", (("reason", reason),)))
        yield Finding(
            "bar_no_way", "caution", state.name_of(held.support.part_id),
            f"{len(missed)} hold point{'s' * (len(missed) > 1)} found no way: {NO_WAY_WORDS[reason]}",
            cause=NO_WAY_WORDS[reason], at_mm=tuple(missed[0].tolist()), value=float(len(missed)), limit=0.0,
            unit="bars", part_id=held.support.part_id, support_id=held.support.id,
            cures=tuple(cures),
        )  # fmt: skip


def _slender(state: BuildState, held: SupportState, bars: Bars, parameters: BarParameters) -> Iterator[Finding]:
    """Where braces are asked for: bars that stand free over more than the free length all the same."""
    if parameters.brace == "none" or not len(bars):
        return
    free, _ = free_lengths(bars)
    long = np.flatnonzero(free > parameters.free_length + parameters.foot_height + 1e-6)
    if len(long):
        worst = int(long[free[long].argmax()])
        yield Finding(
            "bar_slender", "caution", state.name_of(held.support.part_id),
            f"{len(long)} bar{'s' * (len(long) > 1)} stand{'s' * (len(long) == 1)} free over more than "
            f"{parameters.free_length:g} mm, the worst over {free[worst]:.1f} mm",
            cause="no neighbour stands near enough for a brace that holds itself, or a part is in its way",
            at_mm=tuple(((bars.holds[worst] + bars.centres[worst, 0]) / 2).tolist()), value=float(free[worst]),
            limit=parameters.free_length, unit="mm", part_id=held.support.part_id, support_id=held.support.id,
            cures=(Cure("Open its support", "open_station", (("station", "supports"),)),),
        )  # fmt: skip


def _not_kept(state: BuildState, held: SupportState, bars: Bars) -> Iterator[Finding]:
    """Work by hand that found no place on the part as it stands."""
    unkept = bars.unkept
    if len(unkept.reasons):
        count = len(unkept.reasons)
        yield Finding(
            "hand_work_lost", "caution", state.name_of(held.support.part_id),
            f"{count} thing{'s' * (count > 1)} done by hand could not be kept: {unkept.reasons[0]}",
            cause=unkept.reasons[0], at_mm=tuple(unkept.places[0].tolist()), value=float(count), limit=0.0,
            part_id=held.support.part_id, support_id=held.support.id,
            cures=(Cure("Open its support", "open_station", (("station", "supports"),)),),
        )  # fmt: skip


def _serves_nothing(state: BuildState, held: SupportState, bars: Bars) -> Iterator[Finding]:
    """A support with no bar at all, which would otherwise be silent."""
    if len(bars) or len(bars.ties) or len(bars.missed_holds) or len(bars.bare_holds) or len(bars.unkept.reasons):
        return
    name = state.name_of(held.support.part_id)
    yield Finding(
        "support_empty", "caution", name, "a support of it has no bar",
        cause="its regions are not there any more, lie wholly on protected surfaces, or all was taken out by hand",
        part_id=held.support.part_id, support_id=held.support.id,
        cures=(Cure("Open its support", "open_station", (("station", "supports"),)),),
    )  # fmt: skip


def _left_bare(state: BuildState, held: SupportState, bars: Bars, parameters: BarParameters) -> Iterator[Finding]:
    bare, limit = bars.bare_holds, parameters.height_limit
    if len(bare) and limit is not None:
        yield Finding(
            "limit_leaves_bare", "caution", state.name_of(held.support.part_id),
            f"the height limit of {limit:g} mm leaves {len(bare)} hold point{'s' * (len(bare) > 1)} without a bar",
            cause="they lie higher above the plate than the limit", at_mm=tuple(bare[bare[:, 2].argmax()].tolist()),
            value=float(bare[:, 2].max()), limit=limit, unit="mm", part_id=held.support.part_id,
            support_id=held.support.id,
            cures=(Cure("Switch the height limit off", "set_parameter", (("key", "height_limit"), ("value", None))),),
        )  # fmt: skip
