"""What a job needs next: one sensible step, in words, with the action that does it."""

from __future__ import annotations

from dataclasses import dataclass

from lean_trellis.core.checks.finding import Finding
from lean_trellis.studio.session import Session


@dataclass(frozen=True)
class NextStep:
    """What to do, and how: an action by its id, or a station by its key; and what has to be selected for it."""

    words: str
    action: str = ""
    station: str = ""
    part: str = ""
    finding: Finding | None = None


_MEND = ("mesh_unsound", "outside_volume", "keep_out", "parts_overlap")
"""What is resolved before supports are worth their time."""


def next_step(session: Session, *, seen_from_below: bool) -> NextStep | None:
    """The first that is missing; None while that is being computed."""
    job, findings = session.job, session.unwaived()
    if not job.parts:
        return NextStep("Import parts", action="import")
    cancelled = session.cancelled()
    if cancelled:
        return NextStep(f"Resume: {_listed(cancelled)}", action="recompute")
    if findings is None:
        return None
    stops = [finding for finding in findings if finding.severity == "stop"]
    first = next((finding for finding in stops if finding.code in _MEND), None)
    if first is not None:
        return _resolve(first, len(stops))
    unsupported = {finding.part_id for finding in stops}
    for part in job.parts:
        if part.id in unsupported and not job.supports_of(part.id):
            return NextStep(f"Support {part.name}", station="supports", part=part.id)
    if stops:
        return _resolve(stops[0], len(stops))
    if job.supports and not seen_from_below:
        return NextStep("Look at the supports from below", action="below")
    if job.is_released:
        return None
    cautions = sum(finding.severity == "caution" for finding in findings)
    if cautions:
        return NextStep(f"Check {cautions} caution{'s' * (cautions > 1)}, then release", station="release")
    return NextStep("Release the build", station="release")


def _listed(titles: tuple[str, ...]) -> str:
    """The first of some titles, and how many more there are."""
    first = titles[0][:1].lower() + titles[0][1:]
    return first if len(titles) == 1 else f"{first} and {len(titles) - 1} more"


def _resolve(finding: Finding, count: int) -> NextStep:
    more = f" ({count} stops)" if count > 1 else ""
    return NextStep(f"Resolve: {finding.part}, {finding.title}{more}", station="release", finding=finding)
