"""`thin_wall`, `area_jump`: what a part's layers show that its process builds badly or not at all."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.checks.changes import Thicken
from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState
from lean_trellis.core.layers.thin_places import AreaJump, ThinPlace
from lean_trellis.core.mesh.directions import level_frame
from lean_trellis.core.shop.material import LEAST_WALL_MM
from lean_trellis.core.strength.actions import constant_of

_LOST = 0.4
"""What is narrower than this share of the least width is not built at all: assumed. An edge that tapers off has 0.5."""
_TIMES = 2.0
"""A step counts where a layer is so many times as large as the one below."""


def check_layers(state: BuildState) -> Iterator[Finding]:
    """Thin places: a stop where they will be missing, else a caution; a layer much larger than the one below."""
    for part in state.subjects:
        faults = state.layer_faults.get(part.part.id)
        if faults is None:
            continue
        if faults.thin:
            yield _thin(state, part, faults.thin)
        if faults.jump is not None and state.job.machine.process != "extrusion":
            yield from _grown(state, part, faults.jump)


def _place(state: BuildState, at: tuple[float, float], height: float) -> tuple[float, float, float]:
    x, y, z = (np.array([*at, height]) @ level_frame(state.job.machine.layer_normal).T).tolist()
    return x, y, z


def _thin(state: BuildState, part: PartState, thin: tuple[ThinPlace, ...]) -> Finding:
    known = state.job.constants.get("least_wall")
    least = LEAST_WALL_MM if known is None else known.value
    worst = thin[0]
    more = f", and {len(thin) - 1} more such places" if len(thin) > 1 else ""
    is_mended = part.part.thickens and state.job.machine.process != "powder_bed"
    is_lost = worst.width_mm < _LOST * least * (1 - LIMIT_SPARE)
    return Finding(
        "thin_wall", "note" if is_mended else "stop" if is_lost else "caution", part.part.name,
        f"{worst.width_mm:.2f} mm wide from {worst.low_mm:.1f} to {worst.high_mm:.1f} mm; limit {least:g} mm{more}",
        cause="it is built at the least width" if is_mended else "it will be missing" if is_lost
        else "it comes out wider or weaker than it was drawn",
        at_mm=_place(state, worst.at_mm, (worst.low_mm + worst.high_mm) / 2), value=worst.width_mm, limit=least,
        unit="mm", source="assumed" if known is None else known.source, part_id=part.part.id,
        cures=(*_thickening(state, part), Cure("Change the part, or build it larger", about="parts"),
               Cure("Turn the part", about="pose")),
    )  # fmt: skip


def _thickening(state: BuildState, part: PartState) -> Iterator[Cure]:
    if state.job.machine.process != "powder_bed" and not part.part.thickens:
        yield Cure("Build it at the least width", Thicken(part.part.id))


def _grown(state: BuildState, part: PartState, jump: AreaJump) -> Iterator[Finding]:
    limit = constant_of(state.job.constants, "area_jump")
    step = jump.after_mm2 - jump.before_mm2
    if step <= limit.value * (1 + LIMIT_SPARE) or jump.after_mm2 < _TIMES * jump.before_mm2:
        return
    effect = "the film pulls that much harder" if state.job.machine.process == "vat" else "it shrinks at once"
    yield Finding(
        "area_jump", "caution", part.part.name,
        f"its layer grows from {jump.before_mm2:,.0f} to {jump.after_mm2:,.0f} mm² at {jump.height_mm:.1f} mm; "
        f"limit {limit.value:g} mm² more",
        cause=f"a flat side begins all at once: {effect}", at_mm=_place(state, jump.at_mm, jump.height_mm), value=step,
        limit=limit.value, unit="mm²", source=limit.source, part_id=part.part.id,
        cures=(Cure("Turn the part", about="pose"),),
    )  # fmt: skip
