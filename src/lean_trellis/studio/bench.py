"""The stations: their benches one behind the other, and which of them is open. They are known by key or kind."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TypeVar

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QStackedWidget

from lean_trellis.core.job.edits import remove_parts
from lean_trellis.studio.errands import copy_in_hand
from lean_trellis.studio.messages import FileMessage, Message, ViewMessage
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.listed import STATIONS
from lean_trellis.studio.stations.parts import PartsStation
from lean_trellis.studio.stations.release import ReleaseStation
from lean_trellis.studio.stations.station import Station
from lean_trellis.studio.stations.supports import SupportsStation
from lean_trellis.studio.theme import Tokens

S = TypeVar("S", bound=Station)

_STATION_OF_TOPIC = {"machine": "setup", "regions": "overhangs"}
"""Where what a cure is about is worked on, where the station is not called the same."""


class Bench(QStackedWidget):
    """Holds every station and shows the open one; passes on what they ask for."""

    opened = pyqtSignal()
    view_asked = pyqtSignal(object)
    file_asked = pyqtSignal(object)
    action_asked = pyqtSignal(str)
    tool_changed = pyqtSignal(str, float)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.stations = [make(session) for make in STATIONS]
        self._by_key = {station.key: station for station in self.stations}
        self.setMinimumWidth(348)
        for station in self.stations:
            self.addWidget(station)
            station.wanted.connect(self._wanted)
            station.asks.connect(self._asked)
            station.tool_changed.connect(self.tool_changed)

    @property
    def station(self) -> Station:
        """The open station."""
        return self.stations[self.currentIndex()]

    def of(self, kind: type[S]) -> S:
        """The station of a kind."""
        return next(station for station in self.stations if isinstance(station, kind))

    def open(self, key: str) -> None:
        """Open a station by its key; modes of the one before end. Raises KeyError for a key that no station has."""
        wanted = self._by_key[key]
        if self.station is not wanted:
            self.station.leave()
        self.setCurrentWidget(wanted)
        self.opened.emit()

    def findables(self) -> list[tuple[str, Callable[[], object]]]:
        """What of every bench is found by typing, and how to get there."""

        def there(station: Station, show: Callable[[], object]) -> None:
            self.open(station.key)
            show()

        return [
            (words, partial(there, station, show)) for station in self.stations for words, show in station.findables()
        ]

    def set_tokens(self, tokens: Tokens) -> None:
        """Change the colours."""
        for station in self.stations:
            station.set_tokens(tokens)

    def _wanted(self, what: str) -> None:
        """A station asks for another one, for where a topic is worked on, or for an action."""
        key = _STATION_OF_TOPIC.get(what, what)
        if key in self._by_key:
            self.open(key)
        else:
            self.action_asked.emit(what)

    def _asked(self, message: Message) -> None:
        if isinstance(message, FileMessage):
            self.file_asked.emit(message)
        else:
            assert isinstance(message, ViewMessage), message
            self.view_asked.emit(message)

    # --- actions ---

    def handlers(self) -> dict[str, Callable[[], object]]:
        """What the actions on parts, supports and stations do, by their ids."""
        return {
            "undo": self._session.undo,
            "redo": self._session.redo,
            "copy": lambda: copy_in_hand(self._session, in_place=False),
            "copy_in_place": lambda: copy_in_hand(self._session, in_place=True),
            "delete": self._delete,
            "arrange": self._arrange,
            "support_all": self._support_all,
            "export": self._export,
            "recompute": self._session.derive_again,
        }

    def _delete(self) -> None:
        """Delete the current support at its station, else the selected parts."""
        if not self.station.delete() and self.station.deletes_parts and self._session.selection.parts:
            self._session.do(lambda job: remove_parts(job, self._session.selection.parts))

    def _arrange(self) -> None:
        self.open("parts")
        self.of(PartsStation).arrange.arrange()

    def _export(self) -> None:
        self.open("release")
        self.of(ReleaseStation).show_export()

    def _support_all(self) -> None:
        self.open("supports")
        self.of(SupportsStation).add(selected_only=False)
