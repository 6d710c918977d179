"""`tips_over`: does what stands on the plate hold a part against what would turn it over as it grows?"""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.checks.changes import AddSupport
from lean_trellis.core.checks.finding import LIMIT_SPARE, Cure, Finding
from lean_trellis.core.checks.state import BuildState

_ENOUGH = 1.5
_PUSHED = {"powder_bed": "push of the blade", "vat": "pull of the film", "extrusion": "push of the nozzle"}


def check_tipping(state: BuildState) -> Iterator[Finding]:
    """A stop where a load turns over more than the bond to the plate bears, a caution where it nearly does."""
    for part in state.subjects:
        strength = state.strengths.get(part.part.id)
        if strength is None or state.job.machine.is_belt or state.job.stack_of(part.part.id) is not None:
            continue
        worst, actions = strength.loads.statics.tipping, strength.loads.actions
        if worst.value <= 0 or 1 / worst.value >= _ENOUGH - LIMIT_SPARE:
            continue
        reserve = 1 / worst.value
        yield Finding(
            "tips_over", "stop" if reserve < 1 - LIMIT_SPARE else "caution", part.part.name,
            f"resists {reserve:.2f} x the {_PUSHED[actions.process]} at {worst.level:.0f} mm; {_ENOUGH:g} x required",
            cause="it is tall, or reaches far out, for its footprint", at_mm=worst.at_mm, value=reserve,
            limit=_ENOUGH, part_id=part.part.id,
            source=f"assumed: bond to the plate of {actions.bond:.3g} MPa; {actions.source}",
            cures=(
                Cure("Add a flank wall", AddSupport(part.part.id, "wall-flank")),
                Cure("Turn the part", about="pose"),
            ),
        )  # fmt: skip
