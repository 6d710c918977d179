"""`warp`: do ends of a part curl up off what holds it down while its layers shrink?"""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.checks.changes import AddSupport, SetValue
from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.supports.bodies.parameters import RaftParameters

_NEARLY = 0.8
_BRIM_MM, _PADS_MM, _WIDER = 8.0, 16.0, 1.5


def check_warp(state: BuildState) -> Iterator[Finding]:
    """A caution from four fifths of what holds an end on; a stop over 1 once the constants are measured."""
    for part in state.subjects:
        strength = state.strengths.get(part.part.id)
        if strength is None or state.job.machine.is_belt:
            continue
        worst, actions = strength.loads.statics.warp, strength.loads.actions
        if worst.value <= _NEARLY + LIMIT_SPARE:
            continue
        is_stop = worst.value > 1 + LIMIT_SPARE and actions.is_warp_measured
        on_plate = actions.process == "extrusion"
        yield Finding(
            "warp", "stop" if is_stop else "caution", part.part.name,
            f"an end curls up with {worst.value:.2f} x what holds it down once {worst.level:.1f} mm are built; limit 1",
            cause="its layers shrink, and it is long for its " + ("hold on the plate" if on_plate else "contacts"),
            at_mm=worst.at_mm, value=worst.value, limit=1.0, source=actions.warp_source, part_id=part.part.id,
            cures=(*_wider_hold(state, part.part.id, on_plate=on_plate), Cure("Turn the part", about="pose")),
        )  # fmt: skip


def _wider_hold(state: BuildState, part_id: str, *, on_plate: bool) -> Iterator[Cure]:
    """A brim or pads where there are none, then by hand."""
    if not on_plate:
        yield Cure("Set closer or wider contacts at its ends", about="supports")
        return
    rafts = [carrier.support for carrier in state.supports if part_id in carrier.support.parts]
    rafts = [support for support in rafts if isinstance(support.parameters, RaftParameters)]
    if not rafts:
        yield Cure("Add a brim", AddSupport(part_id, "raft-brim"))
        yield Cure("Add pads at its corners", AddSupport(part_id, "raft-pads"))
    for support in rafts:
        p = support.parameters
        assert isinstance(p, RaftParameters)
        for key, value, least in (("brim_width", p.brim_width, _BRIM_MM), ("corner_pads", p.corner_pads, _PADS_MM)):
            wanted = max(least, _WIDER * value)
            label = p.declared_as(key).label.lower()
            yield Cure(f"Set {label} to {wanted:g} mm", SetValue(support.id, key, wanted))
