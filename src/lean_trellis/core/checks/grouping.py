"""Findings of one cause as one line: thirty places of one unsupported part are one matter."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from lean_trellis.core.checks.finding import SEVERITIES, Finding
from lean_trellis.core.checks.waiving import standing_waiver
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.waivers import Waiver


@dataclass(frozen=True)
class FindingGroup:
    """Findings of one severity, code and part, each with the waiver that covers it or None; the worst one first."""

    findings: tuple[Finding, ...]
    waivers: tuple[Waiver | None, ...]

    @property
    def first(self) -> Finding:
        """The worst of them."""
        return self.findings[0]

    @property
    def is_waived(self) -> bool:
        """Whether every one of them is covered."""
        return all(waiver is not None for waiver in self.waivers)

    @property
    def open(self) -> tuple[Finding, ...]:
        """Those that are stops and not covered."""
        return tuple(one for one, waiver in zip(self.findings, self.waivers, strict=True)
                     if waiver is None and one.severity == "stop")  # fmt: skip


def grouped(findings: Iterable[Finding], job: Job, today: date) -> tuple[FindingGroup, ...]:
    """Groups in the order of their first findings, waived ones behind all open stops."""
    by_cause: dict[tuple[str, str, str], list[Finding]] = {}
    for finding in findings:
        by_cause.setdefault((finding.severity, finding.code, finding.part_id or finding.part), []).append(finding)
    groups = []
    for members in by_cause.values():
        ordered = tuple(sorted(members, key=_badness, reverse=True))
        groups.append(FindingGroup(ordered, tuple(standing_waiver(one, job, today) for one in ordered)))
    return tuple(sorted(groups, key=lambda one: (SEVERITIES.index(one.first.severity), one.is_waived)))


def _badness(finding: Finding) -> float:
    """How far the value is beyond its limit, as a share of it; what has none comes last."""
    if finding.value is None or finding.limit is None:
        return -1.0
    scale = abs(finding.limit) or 1.0
    return abs(finding.value - finding.limit) / scale


def about(
    groups: Sequence[FindingGroup], job: Job, *, owner: str = "", part_id: str = "", code: str = ""
) -> tuple[FindingGroup, ...]:
    """The groups of an owner, of a part, of a code; all of them where nothing is named."""
    owners = {part.id: part.owner for part in job.parts}
    return tuple(
        one for one in groups
        if (not owner or owners.get(one.first.part_id) == owner)
        and (not part_id or one.first.part_id == part_id)
        and (not code or one.first.code == code)
    )  # fmt: skip
