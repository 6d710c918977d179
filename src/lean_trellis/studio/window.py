"""The main window: header, traveller, view, bench, status line; and the actions that join them."""

from __future__ import annotations

from pathlib import Path
from typing import Any, TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QIcon, QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QMenu,
    QMessageBox,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from lean_trellis import __version__
from lean_trellis.core.job.edits import move_part, remove_parts
from lean_trellis.studio.actions import ACTIONS, MENUS, SEPARATED_BEFORE, keys_text
from lean_trellis.studio.errands import copy_in_hand
from lean_trellis.studio.families import listed as _families  # noqa: F401 - enters every family
from lean_trellis.studio.forms.fields import NumberField
from lean_trellis.studio.forms.modes import ModeButtons
from lean_trellis.studio.frame import Header, StatusLine
from lean_trellis.studio.gestures import Drawn, Pick
from lean_trellis.studio.measure_bar import MeasureBar
from lean_trellis.studio.palette import ActionPalette
from lean_trellis.studio.recovered import RecoveredJobs
from lean_trellis.studio.recovery import Recovery
from lean_trellis.studio.session import Session
from lean_trellis.studio.stations.listed import STATIONS
from lean_trellis.studio.stations.overhangs import OverhangsStation
from lean_trellis.studio.stations.parts import PartsStation
from lean_trellis.studio.stations.station import Station
from lean_trellis.studio.stations.supports import SupportsStation
from lean_trellis.studio.theme import DAY, NIGHT, apply_theme
from lean_trellis.studio.traveller import Traveller
from lean_trellis.studio.underside.map import UndersideMap
from lean_trellis.studio.view3d.view import BuildView
from lean_trellis.studio.view_window import ViewWindow
from lean_trellis.studio.viewbar import ViewBar

_STATION_OF_TOPIC = {"machine": "setup", "regions": "overhangs"}
"""Where what a cure is about is worked on, where the station is not called the same."""


S = TypeVar("S", bound=Station)


class MainWindow(ViewWindow):
    """Puts the pieces together; what is done is asked of the session."""

    application: QApplication | None = None

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._tokens = NIGHT if session.settings.night else DAY
        self.setWindowTitle("Lean Trellis")
        self.setWindowIcon(QIcon(str(Path(__file__).parent / "icons" / "leaf.svg")))
        self.setAcceptDrops(True)
        self.resize(*(session.settings.window or [1280, 800]))
        self.stations = [make(session) for make in STATIONS]
        self.view = BuildView(session, self._tokens)
        self.map = UndersideMap(session, self._tokens)
        self.viewbar = ViewBar(self._tokens)
        self.measure_bar = MeasureBar(session)
        self.measure_bar.hide()
        self.traveller = Traveller(session, list(self.stations), self._tokens)
        self.bench = QStackedWidget()
        for station in self.stations:
            self.bench.addWidget(station)
            station.wanted.connect(self._wanted)
            station.asks.connect(self._asked)
            station.tool_changed.connect(self._take_tool)
        self.header, self.status = Header(session), StatusLine(session, self._tokens)
        self.actions_by_id: dict[str, QAction] = {}
        self._build_menus()
        self._build_layout()
        self._connect()
        self.recovery = Recovery(session, self)
        self.recovered = RecoveredJobs(session, self.recovery, self._after_asking, self)
        self.open_station(1)
        self.refresh()

    # --- building ---

    def _build_layout(self) -> None:
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        middle = QWidget()
        view_column = QVBoxLayout(middle)
        view_column.setContentsMargins(0, 0, 0, 0)
        view_column.setSpacing(0)
        view_column.addWidget(self.view, 1)
        view_column.addWidget(self.measure_bar)
        view_column.addWidget(self.viewbar)
        self.sheets = QStackedWidget()
        for station in self.stations:
            if station.sheet is not None:
                self.sheets.addWidget(station.sheet)
        self.sheets.addWidget(self.map)
        self.halves = QSplitter(Qt.Orientation.Vertical)
        self.halves.setHandleWidth(3)
        self.halves.addWidget(middle)
        self.halves.addWidget(self.sheets)
        self.halves.setStretchFactor(0, 1)
        self.halves.setStretchFactor(1, 0)
        self.halves.setSizes([480, 224])
        self.halves.setChildrenCollapsible(False)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        self.splitter.setHandleWidth(1)
        self.splitter.addWidget(self.halves)
        self.splitter.addWidget(self.bench)
        self.bench.setMinimumWidth(318)
        self.splitter.setStretchFactor(0, 1)
        self.splitter.setStretchFactor(1, 0)
        self.splitter.setSizes([720, 352])
        self.splitter.setChildrenCollapsible(False)
        row = QHBoxLayout()
        row.setSpacing(0)
        row.addWidget(self.traveller)
        row.addWidget(self.splitter, 1)
        column.addLayout(row, 1)
        column.addWidget(self.status)
        self.setCentralWidget(centre)

    def _menu(self, name: str) -> QMenu:
        menu, bar = QMenu(name, self), self.menuBar()
        assert bar is not None, "main windows have a menu bar"
        bar.addMenu(menu)
        return menu

    def _build_menus(self) -> None:
        menus = {name: self._menu(name) for name in MENUS}
        for entry in ACTIONS:
            action = QAction(entry.title, self)
            if entry.shortcut:
                action.setShortcut(QKeySequence(entry.shortcut))
                action.setToolTip(f"{entry.title} ({entry.shortcut})")
            action.setCheckable(entry.is_switch)
            action.setChecked(entry.starts_on)
            action.triggered.connect(lambda _, name=entry.id: self._run(name))
            if entry.id in SEPARATED_BEFORE:
                menus[entry.menu].addSeparator()
            menus[entry.menu].addAction(action)
            self.addAction(action)
            self.actions_by_id[entry.id] = action
            if entry.id == "open":
                self.recent_menu = QMenu("Open recent", self)
                menus["Job"].addMenu(self.recent_menu)
        for place, station in enumerate(self.stations):
            action = QAction(station.name, self)
            action.setShortcut(QKeySequence(str(place + 1)))
            action.triggered.connect(lambda _, place=place: self.open_station(place))
            menus["Stations"].addAction(action)
            self.addAction(action)
            self.actions_by_id[f"station.{station.key}"] = action
        self.actions_by_id["night"].setChecked(self.session.settings.night)
        self.actions_by_id["vertical"].setChecked(self.session.settings.angles_from_vertical)

    def _connect(self) -> None:
        session = self.session
        for signal in (
            session.job_changed,
            session.derived_changed,
            session.selection_changed,
            session.file_changed,
        ):
            signal.connect(self.refresh)
        self.station_asked.connect(self.show_station)
        self.header.find_action.clicked.connect(self.do_palette)
        self.status.findings_words.clicked.connect(lambda: self.open_station(self._place("release")))
        session.file_changed.connect(self._file_changed)
        for field in self.findChildren(NumberField):
            field.refused.connect(lambda why: session.said.emit("stop", why))
        for modes in self.bench.findChildren(ModeButtons):
            modes.changed.connect(self._station_mode_changed)
        self.traveller.opened.connect(self.open_station)
        self.view.picked.connect(self._picked)
        self.view.part_dragged.connect(self._part_dragged)
        self.view.pointed.connect(self.viewbar.where.setText)
        self.view.drawn.connect(self._drawn_in_view)
        self.map.pointed.connect(self.viewbar.where.setText)
        self.view.hovered.connect(lambda pick: self.station.take_hover(pick))
        self.map.hovered.connect(self._hovered_on_map)
        self.map.bar_picked.connect(lambda support, bars, adds: self.station.take_bar_pick(support, bars, adds=adds))
        for views in (self.view, self.map):
            views.pulled.connect(lambda pull: self.station.take_pull(pull))
        self.map.drawn.connect(lambda gesture, places: self._drawn(gesture, Drawn(places=tuple(places))))
        self.viewbar.section.changed.connect(self._section_moved)
        self.measure_bar.shows_points.connect(self.view.show_points)
        self.measure_bar.measured.connect(self._parts_station.size_section.show_measure)

    # --- stations ---

    @property
    def _parts_station(self) -> PartsStation:
        station = self.stations[self._place("parts")]
        assert isinstance(station, PartsStation)
        return station

    def _place(self, key: str) -> int:
        return next(place for place, station in enumerate(self.stations) if station.key == key)

    def open_station(self, place: int) -> None:
        """Open a station; modes of the one before end."""
        before = self.stations[self.bench.currentIndex()]
        if before is not self.stations[place]:
            before.leave()
        self.bench.setCurrentIndex(place)
        station = self.stations[place]
        self._show_sheet()
        self.view.scene.shows_angles = station.shows_angles
        self.view.may_drag_parts = station.drags_parts
        self.view.scene.shows_tilt = station.shows_tilt
        self.map.picks_bars = station.picks_bars
        self.view.clear_mark()
        self.refresh()
        self.view.refresh()

    def station_of(self, kind: type[S]) -> S:
        """The station of a kind."""
        return next(station for station in self.stations if isinstance(station, kind))

    def show_station(self, key: str) -> None:
        """Open a station by its key."""
        self.open_station(self._place(key))

    @property
    def station(self) -> Station:
        """The open station."""
        return self.stations[self.bench.currentIndex()]

    def _wanted(self, what: str) -> None:
        """A bench asks for another station, for where a topic is worked on, or for an action."""
        what = _STATION_OF_TOPIC.get(what, what)
        if what in {station.key for station in self.stations}:
            self.open_station(self._place(what))
        else:
            self.actions_by_id[what].trigger()

    def _asked(self, what: str, value: Any) -> None:
        match what:
            case "fly":
                self.view.fly_to(value)
                self.map.fly_to(value[0], value[1])
            case "preview_angles":
                self.view.scene.preview_angles = value
                self.view.refresh()
            case "faults":
                self.view.show_fault(value)
            case "ghost":
                bars, is_way = value or (None, True)
                self.view.show_ghost(bars, is_way=is_way)
                self.map.show_ghost(bars, is_way=is_way)
            case "figure":
                self.view.scene.figure = value
                self.view.refresh()
            case "points":
                self.view.show_points(value)
            case "measure":
                self.actions_by_id["measure"].setChecked(True)
                self.do_measure()
            case "save_rest":
                self.save_rest(value)
            case "second_job":
                self._after_asking(lambda: self.open_second(value))

    def _picked(self, pick: Pick, adds: bool) -> None:
        if self.measure_bar.take_pick(pick):
            return
        if self.station.take_pick(pick, adds=adds):
            return
        if pick.part:
            chosen = self.session.selection.parts
            if adds:
                rest = tuple(part for part in chosen if part != pick.part)
                self.session.select(parts=rest if pick.part in chosen else (pick.part, *rest))
            else:
                self.session.select(parts=(pick.part,))
        elif not adds and not pick.support:
            self.session.select(parts=(), regions=frozenset(), support="")

    def _part_dragged(self, part_id: str, x: float, y: float) -> None:
        self.session.do(lambda job: move_part(job, part_id, x, y))
        self.viewbar.where.setText("")

    # --- actions ---

    def _run(self, name: str) -> None:
        """Run an action by its id: `do_<id>` here, a direction to look from, or a demo build to open."""
        if name.startswith("look_"):
            self.view.look(name.removeprefix("look_"))
        elif name.startswith("demo_"):
            self._after_asking(lambda: self.open_demo(name.removeprefix("demo_")))
        else:
            getattr(self, f"do_{name}")()

    def do_export(self) -> None:
        """Open the station where files are exported."""
        self.open_station(self._place("release"))

    def do_recovered(self) -> None:
        """List the jobs that a crash left behind."""
        self.recovered.offer(even_when_empty=True)

    def do_quit(self) -> None:
        """Close the window."""
        self.close()

    def do_undo(self) -> None:
        """Take the last step back."""
        self.session.undo()

    def do_redo(self) -> None:
        """Do the step again."""
        self.session.redo()

    def do_copy(self) -> None:
        """Copy the part in hand beside."""
        copy_in_hand(self.session, in_place=False)

    def do_copy_in_place(self) -> None:
        """Copy the part in hand exactly in place."""
        copy_in_hand(self.session, in_place=True)

    def do_delete(self) -> None:
        """Delete the support in hand at its station, else the picked parts."""
        if not self.station.delete() and self.station.deletes_parts and self.session.selection.parts:
            self.session.do(lambda job: remove_parts(job, self.session.selection.parts))

    def do_arrange(self) -> None:
        """Arrange the parts by their footprints."""
        self.open_station(self._place("parts"))
        self._parts_station.arrange.arrange()

    def do_support_all(self) -> None:
        """Support every region of the part in hand."""
        self.open_station(self._place("supports"))
        station = self.station
        assert isinstance(station, SupportsStation)
        station.add(picked_only=False)

    def do_palette(self) -> None:
        """Show the action search under the header."""
        self.palette_dialog = ActionPalette(list(self.actions_by_id.values()), self)
        corner = self.mapToGlobal(self.rect().topLeft())
        self.palette_dialog.move(corner.x() + (self.width() - self.palette_dialog.width()) // 2, corner.y() + 70)
        self.palette_dialog.show()
        self.palette_dialog.field.setFocus()

    def do_night(self) -> None:
        """Change between day and night colours."""
        is_night = self.actions_by_id["night"].isChecked()
        self.session.settings.night = is_night
        self._tokens = NIGHT if is_night else DAY
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        apply_theme(application, self._tokens)
        self.view.set_tokens(self._tokens)
        self.map.set_tokens(self._tokens)
        self.traveller.set_tokens(self._tokens)
        self.status.set_tokens(self._tokens)
        for station in self.stations:
            if isinstance(station, SupportsStation):
                station.sketch.set_tokens(self._tokens)
            if isinstance(station, OverhangsStation):
                station.set_tokens(self._tokens)
        self.refresh()
        self.view.refresh()

    def do_recompute(self) -> None:
        """Compute again what was cancelled."""
        self.session.derive_again()

    def do_keys(self) -> None:
        """Show keys and gestures."""
        QMessageBox.information(self, "Keys and gestures", keys_text(len(self.stations)))

    def do_about(self) -> None:
        """Show version and licence."""
        QMessageBox.about(
            self, "About", f"<b>Lean Trellis {__version__}</b><br>Parts, supports and shared builds for additive "
            "manufacturing.<br>GPL-3.0-or-later. Type: Lato, SIL Open Font Licence.",
        )  # fmt: skip

    # --- keys, drops, closing ---

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape ends a mode, then cancels what runs."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            if not self._end_mode():
                self.session.cancel()
            return
        super().keyPressEvent(event)

    def _end_mode(self) -> bool:
        """End what is being measured, or the mode of the open station. True when there was one."""
        if self.measure_bar.end_mode():
            return True
        if self.measure_bar.isVisible():
            self.actions_by_id["measure"].trigger()
            return True
        return bool(self.station.end_mode())

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files may be dropped."""
        held = None if event is None else event.mimeData()
        if event is not None and held is not None and held.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Import dropped files, or open a dropped job."""
        held = None if event is None else event.mimeData()
        if event is not None and held is not None:
            paths = [Path(url.toLocalFile()) for url in held.urls() if url.isLocalFile()]
            if paths:
                event.acceptProposedAction()
                self.take_files(paths)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Ask about unsaved work, remember the window, end the worker."""
        if event is None:
            return
        if not self._is_closing and not self.session.is_saved:
            event.ignore()
            self._after_asking(self._close_for_good)
            return
        self.session.settings.window = [self.width(), self.height()]
        self.recovery.finish()
        self.status.finish()
        self.view.finish()
        self.session.close()
        event.accept()

    _is_closing = False

    def _close_for_good(self) -> None:
        self._is_closing = True
        self.close()

    # --- showing ---

    def refresh(self) -> None:
        """Bring everything round the view in step with the session."""
        job, session = self.session.job, self.session
        self.header.refresh()
        self.status.refresh()
        self.measure_bar.refresh()
        self.setWindowTitle(f"{job.name}{'' if session.is_saved else ' *'} – Lean Trellis")
        self.station.refresh()
        self.traveller.refresh(self.bench.currentIndex())
        self._refresh_actions()
        part = session.part
        shows_angles = self.station.shows_angles and bool(job.parts)
        self.viewbar.legend.setVisible(shows_angles)
        if shows_angles:
            shown = part or job.parts[0]
            self.viewbar.legend.show_angles(job.critical_angle(shown), job.watch_angle(shown), self._tokens)
        light = [session.shown_part(entry) for entry in job.parts]
        simplified = sum(1 for entry in light if entry is not None and entry.shown.is_stand_in)
        self.viewbar.simplified.setText("view simplified, figures exact" if simplified else "")

    def _refresh_actions(self) -> None:
        session, actions = self.session, self.actions_by_id
        for name, title in (("undo", session.undo_title), ("redo", session.redo_title)):
            actions[name].setEnabled(bool(title))
            actions[name].setText(f"{name.capitalize()}: {title}" if title else name.capitalize())
        has_part = session.part is not None
        for name in ("copy", "copy_in_place", "support_all"):
            actions[name].setEnabled(has_part)
        actions["delete"].setEnabled(has_part or session.support is not None)
