"""What every station is: a bench, a mark and a line of fact for the traveller."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLabel, QSizePolicy, QVBoxLayout, QWidget

from lean_trellis.studio.forms.fields import row, title
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.forms.section import Sheet
from lean_trellis.studio.forms.tabs import BenchTabs, scrolled
from lean_trellis.studio.gestures import Pick, Pull, Stroke
from lean_trellis.studio.session import Session
from lean_trellis.studio.theme import Tokens

Mark = Literal["open", "fine", "look", "stop", "stale"]
MARK_WORDS: dict[Mark, str] = {
    "open": "not started",
    "fine": "fine",
    "look": "check",
    "stop": "has stops",
    "stale": "out of date",
}


def station_key(number: int) -> str:
    """The keys that open a station."""
    return f"Alt+{number}"


@dataclass(frozen=True)
class Fact:
    """A station's state in the traveller: a mark and one line."""

    mark: Mark
    words: str


class Station(QWidget):
    """Base of the benches. `refresh` brings it in step with the session; nothing is kept here."""

    key = ""
    name = ""
    codes: frozenset[str] = frozenset()
    """The findings that are resolved there: the mark in the traveller follows from them."""
    has_tabs = False
    """Whether the bench has tabs below its head; else one page."""
    shows_angles = False
    deletes_parts = False
    """Whether Del deletes the selected parts there."""
    drags_parts = False
    drags_tower = False
    shows_tilt = False
    shows_map = False
    picks_bars = False
    wanted = pyqtSignal(str)
    asks = pyqtSignal(object)
    tool_changed = pyqtSignal(str, float)
    """A tool that draws in the views: its gesture (nothing for none) and the brush's diameter in mm."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._tools: tuple[ModeButtons, ...] = ()
        self.sheet: Sheet | None = None
        """What is shown under the view while the station is open."""
        self.inset: QWidget | None = None
        """What is shown in a corner of the view while there is something to show."""
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        self.head = QVBoxLayout()
        self.head.setContentsMargins(12, 8, 12, 4)
        self.head.setSpacing(4)
        self.heading = title(self.name)
        self.head.addWidget(self.heading)
        outer.addLayout(self.head)
        if self.has_tabs:
            self.tabs = BenchTabs()
            outer.addWidget(self.tabs, 1)
        else:
            scroll, self.page = scrolled()
            outer.addWidget(scroll, 1)

    def put_beside_heading(self, words: QLabel) -> None:
        """Say what is selected in the line of the heading."""
        words.setWordWrap(False)
        words.setSizePolicy(QSizePolicy.Policy.Minimum, QSizePolicy.Policy.Preferred)
        self.head.removeWidget(self.heading)
        self.head.addWidget(row(self.heading, words, 1))

    def refresh(self) -> None:
        """Show the session as it is."""

    def fact(self) -> Fact:
        """The line in the traveller."""
        return Fact("open", "")

    def waiting(self, words: str) -> str:
        """What is said while something is being computed; that it was cancelled, where it does not come by itself."""
        return "cancelled, F5 resumes" if self.session.cancelled() else words

    def mark(self) -> Mark:
        """Fine where none of its findings is a stop or a caution; out of date while that is being checked."""
        findings = self.session.unwaived()
        if findings is None:
            return "stale"
        severities = {finding.severity for finding in findings if finding.code in self.codes}
        return "stop" if "stop" in severities else "look" if "caution" in severities else "fine"

    def findables(self) -> list[tuple[str, Callable[[], object]]]:
        """What of the bench is found by typing: words, and how to get there once the station is open."""
        return []

    def take_pick(self, pick: Pick, *, adds: bool) -> bool:
        """A click in the view. True when the station has used it up; otherwise it picks a part."""
        return False

    def watch_tools(self, *modes: ModeButtons) -> None:
        """Of all modes of the bench one is on at most; what it draws with is said to the views."""
        self._tools = modes
        for mine in modes:
            mine.changed.connect(lambda mode, mine=mine: self._tool_taken(mine, mode))

    def _tool_taken(self, mine: ModeButtons, mode: str) -> None:
        if mode:
            for modes in self._tools:
                if modes is not mine:
                    modes.end()
        on = next((modes.mode for modes in self._tools if modes.mode), "")
        self.tool_changed.emit(*self.gesture_of(on))

    def gesture_of(self, mode: str) -> tuple[str, float]:
        """How a mode draws in the views, and the diameter of its brush in mm; nothing for clicks alone."""
        return "", 0.0

    def end_tools(self) -> bool:
        """End the mode that is on. True when there was one."""
        return any([modes.end() for modes in self._tools])  # noqa: C419 - all of them are ended

    def take_drawn(self, gesture: str, drawn: Stroke) -> None:
        """A gesture of the current tool has ended in one of the views."""

    def take_hover(self, pick: Pick) -> None:
        """The pointer rests over a place while a tool asks to know where."""

    def take_pull(self, pull: Pull) -> None:
        """A bar is pulled by a handle."""

    def take_bar_pick(self, support: str, bars: frozenset[int], *, adds: bool) -> bool:
        """Bars were selected on the map. True when the station has used it up."""
        return False

    def end_mode(self) -> bool:
        """Escape was pressed. True when a mode was on and has ended."""
        return False

    def delete(self) -> bool:
        """Del was pressed. True when the station has deleted something of its own."""
        return False

    def leave(self) -> None:
        """Called when another station is opened: modes end."""

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours of what the bench paints itself."""
