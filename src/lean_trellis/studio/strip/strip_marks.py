"""What is marked along the height of a build: findings, islands, changes of material, the moment of greatest danger."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np

from lean_trellis.core.checks import Finding
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.session import Session

MarkKind = Literal["stop", "caution", "island", "change", "danger"]
_MOST_CHANGES = 40
"""Of more changes of material than this only the first and the last are marked."""


@dataclass(frozen=True)
class StripMark:
    """One mark: its height along the layers' normal, what it is, in words, and its place and finding if it has one."""

    height_mm: float
    kind: MarkKind
    words: str
    at_mm: tuple[float, float, float] | None = None
    finding: Finding | None = None


def strip_marks(session: Session) -> list[StripMark]:
    """All marks of the job as it is now, as far as they are known; the heavier ones last, to lie on top."""
    return [*_changes(session), *_islands(session), *_findings(session), *_danger(session)]


def _along(session: Session, place: tuple[float, float, float]) -> float:
    return float(np.dot(place, session.job.machine.layer_normal))


def _changes(session: Session) -> Iterator[StripMark]:
    profile = session.layers.profile()
    if profile is None or not len(profile.changed):
        return
    numbers = profile.changed.tolist()
    if len(numbers) > _MOST_CHANGES:
        numbers = [numbers[0], numbers[-1]]
    for number in numbers:
        top = float(profile.tops[profile.place_of(number)])
        yield StripMark(top, "change", f"material changes at {UNITS.length(top)}")


def _islands(session: Session) -> Iterator[StripMark]:
    for part in session.job.parts:
        for island in session.islands(part) or ():
            place = (island.x_mm, island.y_mm, island.z_mm)
            height = _along(session, place)
            words = f"{part.name}: a piece begins in the air at {UNITS.length(height)}"
            yield StripMark(height, "island", words, place)


def _findings(session: Session) -> Iterator[StripMark]:
    placed_findings = [one for one in session.findings() or () if one.at_mm is not None and one.severity != "note"]
    for finding in sorted(placed_findings, key=lambda one: one.severity == "stop"):
        assert finding.at_mm is not None
        kind: MarkKind = "stop" if finding.severity == "stop" else "caution"
        words = f"{finding.part}: {finding.message}" if finding.part else finding.message
        yield StripMark(_along(session, finding.at_mm), kind, words, finding.at_mm, finding)


def _danger(session: Session) -> Iterator[StripMark]:
    profile, danger = session.layers.profile(), session.layers.danger()
    if profile is None or danger is None or danger.worst is None or len(danger.used) != len(profile):
        return
    top, used = float(profile.tops[danger.worst]), float(danger.used[danger.worst])
    name = session.job.part(danger.ids[danger.parts[danger.worst]]).name
    yield StripMark(
        top, "danger", f"moment of greatest danger: {used:.2f} of its strength at {UNITS.length(top)}, {name}"
    )
