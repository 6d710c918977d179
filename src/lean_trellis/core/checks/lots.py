"""`lots_differ`: is every part built from the lot of material that its order asks for?"""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState


def check_lots(state: BuildState) -> Iterator[Finding]:
    """A stop for each part whose order asks for another lot than the build's, or while the build names none."""
    here = state.job.lot
    for part in state.subjects:
        wanted = part.part.lot
        if wanted and wanted != here:
            own_words = f"this build is of lot {here}" if here else "this build names no lot"
            yield Finding(
                "lots_differ", "stop", part.part.name, f"its order asks for lot {wanted}; {own_words}",
                cause="one build is made of one lot of material, and the order's certificate names another",
                part_id=part.part.id,
                cures=(Cure("Load that lot and note it at Setup", about="machine"),
                       Cure("Move the part to another build", about="parts")),
            )  # fmt: skip
