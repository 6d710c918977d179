"""One result of a check."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

Severity = Literal["stop", "caution", "note"]
SEVERITIES: tuple[Severity, ...] = ("stop", "caution", "note")
CureAction = Literal[
    "set_build_offset", "move_part", "set_parameter", "support_regions", "add_support", "move_holds", "open_station"
]


@dataclass(frozen=True)
class Cure:
    """What to do about a finding: words for a person, and the edit with its values."""

    words: str
    action: CureAction
    values: tuple[tuple[str, Any], ...] = ()

    def value(self, name: str) -> Any:
        """One of the values by name."""
        return dict(self.values)[name]


@dataclass(frozen=True)
class Finding:
    """What was found: where, how bad, measured value against limit, why, and what to do.

    `at_mm` is a place in the plate's frame or None; `value` and `limit` share `unit`. `source` says where the
    limit comes from.
    """

    code: str
    severity: Severity
    part: str
    message: str
    cause: str
    at_mm: tuple[float, float, float] | None = None
    value: float | None = None
    limit: float | None = None
    unit: str = ""
    source: str = ""
    cures: tuple[Cure, ...] = ()
    part_id: str = ""
    support_id: str = ""
