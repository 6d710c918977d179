"""Waivers: stops that a named person accepts in writing, kept by code, part and place."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True)
class Waiver:
    """What was accepted, by whom and why. `at_mm` is the place in the part's own coordinates, or None.

    `value` and `limit` are those of the finding when it was waived; `expires` is a day (ISO 8601), "" for never.
    """

    code: str
    part_id: str
    who: str
    reason: str
    at_mm: tuple[float, float, float] | None = None
    value: float | None = None
    limit: float | None = None
    expires: str = ""
    message: str = ""

    def has_expired(self, today: date) -> bool:
        """Whether its last day has passed."""
        return bool(self.expires) and date.fromisoformat(self.expires) < today


def day_of(text: str) -> str:
    """A day as ISO 8601, "" for none. Raises `ValueError` where it is no day."""
    stripped = text.strip()
    return date.fromisoformat(stripped).isoformat() if stripped else ""
