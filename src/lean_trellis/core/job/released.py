"""What is kept of a release, and of the build of a shop's board that a job belongs to."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Released:
    """That a build was released: by whom, when (UTC, ISO 8601), where to, under which key, and with which ticket.

    `contents` is the ticket as JSON: whatever changes in program or library later, the ticket is made from it.
    """

    who: str = ""
    at: str = ""
    to: str = ""
    key: str = ""
    contents: str = ""


@dataclass(frozen=True)
class BoardLink:
    """The build of the board that a job belongs to, and what both agreed on when they were last brought together.

    Of each part its id, its revision on the board and the digest of what it was then; of the settings the same.
    """

    build_id: str
    parts: tuple[tuple[str, int, str], ...] = ()
    settings: tuple[int, str] = (0, "")
