"""What the board tells of builds, their parts and orders."""

from __future__ import annotations

from dataclasses import dataclass

STATES: tuple[str, ...] = ("open", "released", "building", "done", "failed", "again", "closed")
OUTCOMES: dict[str, str] = {
    "": "not noted",
    "well": "came out well",
    "fell_off": "fell off its supports",
    "came_off_plate": "came off the plate",
    "broke": "broke",
    "marks_left": "marks left on it",
    "distorted": "distorted",
}
"""What can come of a part, in words. All but the first two are failures, as far as its supports are concerned."""
FAILURES = tuple(key for key in OUTCOMES if key not in ("", "well"))
AGAIN_ID, AGAIN_NAME = "again", "To build again"
"""The row of builds where parts wait that have to be built once more."""


@dataclass(frozen=True)
class BoardPart:
    """A row of a build: one part. `revision` counts from 1; `document` is empty where only a list was asked for."""

    id: str
    name: str
    owner: str
    order: str
    revision: int
    who: str
    changed_at: str
    outcome: str = ""
    outcome_note: str = ""
    has_photo: bool = False
    is_gone: bool = False
    document: str = ""


@dataclass(frozen=True)
class BoardBuild:
    """A build on the board; `settings` is what it is built with, `released` the ticket's contents as JSON."""

    id: str
    name: str
    state: str
    machine: str
    material: str
    due: str
    revision: int
    who: str
    changed_at: str
    actual_seconds: float | None = None
    settings: str = ""
    released: str = ""
    parts: tuple[BoardPart, ...] = ()


@dataclass(frozen=True)
class OrderState:
    """An order of a part: how many were asked for, stand in builds, came out well, and are still to do."""

    number: str
    part: str
    owner: str
    due: str
    asked: int
    placed: int
    built: int

    @property
    def to_do(self) -> int:
        """How many have not been placed or built."""
        return max(self.asked - self.placed - self.built, 0)
