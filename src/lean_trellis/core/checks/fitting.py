"""`fitting_not_validated`: may this material be built in the tray or vat that is fitted?"""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState


def check_fitting(state: BuildState) -> Iterator[Finding]:
    """A stop where a tray or vat is fitted that was not validated for the material."""
    job = state.job
    validated = job.material.validated_fittings
    if not job.fitting or not validated or job.fitting in validated or not state.parts:
        return
    yield Finding(
        "fitting_not_validated", "stop", state.parts[0].part.name,
        f"{job.material.name} was not validated in the {job.fitting}",
        cause="film and light of the tray are part of the validated process", part_id=state.parts[0].part.id,
        cures=(Cure(f"Fit the {' or '.join(validated)}", about="machine"),),
    )  # fmt: skip
