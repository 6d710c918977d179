"""Menus, shortcuts and switches, made of the one table of actions; every action is bound at the start."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

from lean_trellis.studio.actions import ACTIONS, MENUS, SEPARATED_BEFORE, ActionEntry
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.station import Station, station_key

Handlers = Mapping[str, Callable[[], object]]
Switches = Mapping[str, Callable[[bool], object]]


class Menus:
    """The window's actions by id.

    `handlers` do what plain actions say; `switches` get whether they are on now. Raises ValueError where an
    action of the table does nothing, or something is done that no action asks for.
    """

    def __init__(self, window: QMainWindow, handlers: Handlers, switches: Switches) -> None:
        _check_all_do_something(handlers, switches)
        self._window, self._handlers, self._switches = window, handlers, switches
        self._menus = {name: self._menu(name) for name in MENUS}
        self.by_id: dict[str, QAction] = {}
        for entry in ACTIONS:
            self._add(entry)

    def _menu(self, name: str) -> QMenu:
        menu, bar = QMenu(name, self._window), self._window.menuBar()
        assert bar is not None, "main windows have a menu bar"
        bar.addMenu(menu)
        return menu

    def _add(self, entry: ActionEntry) -> None:
        action, menu = QAction(entry.title, self._window), self._menus[entry.menu]
        if entry.shortcut:
            action.setShortcut(QKeySequence(entry.shortcut))
            action.setToolTip(f"{entry.title} ({entry.shortcut})")
        action.setCheckable(entry.is_switch)
        action.setChecked(entry.starts_on)
        action.triggered.connect(lambda _, name=entry.id: self._run(name))
        if entry.id in SEPARATED_BEFORE:
            menu.addSeparator()
        menu.addAction(action)
        self._window.addAction(action)
        self.by_id[entry.id] = action
        if entry.id == "open":
            self.recent = QMenu("Open recent", self._window)
            menu.addMenu(self.recent)

    def add_stations(self, stations: list[Station], open_station: Callable[[str], None]) -> None:
        """Alt and a number open the stations, in their order: plain digits never leave a field."""
        for number, station in enumerate(stations, start=1):
            action = QAction(station.name, self._window)
            action.setShortcut(QKeySequence(station_key(number)))
            action.triggered.connect(lambda _, key=station.key: open_station(key))
            self._menus["Stations"].addAction(action)
            self._window.addAction(action)
            self.by_id[f"station.{station.key}"] = action

    def _run(self, name: str) -> None:
        if name in self._switches:
            self._switches[name](self.by_id[name].isChecked())
        else:
            self._handlers[name]()

    def run(self, name: str) -> None:
        """Do what an action says, as when it is chosen from its menu. Raises KeyError for an unknown id."""
        self.by_id[name].trigger()

    def check(self, name: str, *, is_on: bool) -> None:
        """Show a switch as on or off."""
        self.by_id[name].setChecked(is_on)

    def refresh(self, session: Session, station: Station) -> None:
        """Enable what can be done now; undo and redo say what they would take back."""
        for name, title in (("undo", session.undo_title), ("redo", session.redo_title)):
            self.by_id[name].setEnabled(bool(title))
            self.by_id[name].setText(f"{name.capitalize()}: {title}" if title else name.capitalize())
        has_part = session.part is not None
        for name in ("copy", "copy_in_place", "support_all"):
            self.by_id[name].setEnabled(has_part)
        self.by_id["map"].setEnabled(station.shows_map)
        self.by_id["delete"].setEnabled(has_part or session.support is not None)


def _check_all_do_something(handlers: Handlers, switches: Switches) -> None:
    wanted = {entry.id for entry in ACTIONS if not entry.is_switch}, {entry.id for entry in ACTIONS if entry.is_switch}
    given = set(handlers), set(switches)
    for ids, known in zip(wanted, given, strict=True):
        if ids != known:
            raise ValueError(f"actions and what they do disagree: {', '.join(sorted(ids ^ known))}")
