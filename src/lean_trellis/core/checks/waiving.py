"""Which waivers still hold: by code, part and place, until the value gets worse or the place moves."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date

import numpy as np

from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.waivers import Waiver

WORSE_SHARE = 0.01
"""A value that is worse by this share of what was accepted is another matter."""
MOVED_MM = 0.5
_NOTHING = 1e-9


def waiver_of(finding: Finding, job: Job, *, who: str, reason: str, expires: str = "") -> Waiver:
    """A waiver for a finding as it is now."""
    return Waiver(
        finding.code, finding.part_id, who.strip(), reason.strip(), _in_part(finding, job), finding.value,
        finding.limit, expires, finding.message,
    )  # fmt: skip


def standing_waiver(finding: Finding, job: Job, today: date) -> Waiver | None:
    """The waiver that covers a finding today, the latest of several; None where there is none."""
    for waiver in reversed(job.waivers):
        if covers(waiver, finding, job) and not waiver.has_expired(today):
            return waiver
    return None


def covers(waiver: Waiver, finding: Finding, job: Job) -> bool:
    """Whether a waiver was given for this finding, and it has not got worse or moved since."""
    if (waiver.code, waiver.part_id) != (finding.code, finding.part_id):
        return False
    return not _is_worse(waiver, finding) and not _has_moved(waiver.at_mm, _in_part(finding, job))


def open_stops(findings: Iterable[Finding], job: Job, today: date) -> tuple[Finding, ...]:
    """The stops that nobody has waived."""
    stops = (finding for finding in findings if finding.severity == "stop")
    return tuple(finding for finding in stops if standing_waiver(finding, job, today) is None)


def is_releasable(findings: Iterable[Finding], job: Job, today: date) -> bool:
    """Whether every stop has been waived, or there is none."""
    return not open_stops(findings, job, today)


def _is_worse(waiver: Waiver, finding: Finding) -> bool:
    if waiver.value is None or finding.value is None:
        return waiver.value is not finding.value
    limit = waiver.limit if waiver.limit is not None else finding.limit
    rise = finding.value - waiver.value
    if limit is None:
        worsening = abs(rise)
    else:  # what lies above its limit gets worse by growing, what lies below it by falling
        worsening = rise if waiver.value >= limit else -rise
    return worsening > WORSE_SHARE * abs(waiver.value) + _NOTHING


def _has_moved(then: tuple[float, float, float] | None, now: tuple[float, float, float] | None) -> bool:
    if then is None or now is None:
        return then is not now
    return float(np.linalg.norm(np.subtract(then, now))) > MOVED_MM


def _in_part(finding: Finding, job: Job) -> tuple[float, float, float] | None:
    """The place in the part's own coordinates: it stays where the part is moved to another build."""
    part = next((part for part in job.parts if part.id == finding.part_id), None)
    if finding.at_mm is None or part is None:
        return finding.at_mm
    x, y, z = part.pose.to_part(part.mesh, np.array([finding.at_mm]))[0].round(6).tolist()
    return x, y, z
