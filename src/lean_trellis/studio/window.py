"""The main window: it puts together header, traveller, views, bench and status line, and keeps them in step."""

from __future__ import annotations

import gc
import threading
from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QPoint, QRect, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QIcon, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QHBoxLayout,
    QMainWindow,
    QMessageBox,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from lean_trellis import __version__
from lean_trellis.core.errors import TrellisError
from lean_trellis.core.sets.parameter_set import shipped_sets
from lean_trellis.core.sets.recipe import shipped_recipes
from lean_trellis.studio.batch_window import BatchWindow
from lean_trellis.studio.bench import Bench
from lean_trellis.studio.families import listed as _families  # noqa: F401 - enters every family
from lean_trellis.studio.files import Files
from lean_trellis.studio.forms.fields import RETURNS, TextField, ValueRefused
from lean_trellis.studio.forms.qt import single_shot
from lean_trellis.studio.forms.units import UNITS
from lean_trellis.studio.frame import Header, StatusLine
from lean_trellis.studio.keys_sheet import KeysSheet
from lean_trellis.studio.menus import Menus
from lean_trellis.studio.messages import OpenSecond
from lean_trellis.studio.names import name_controls
from lean_trellis.studio.next_step import NextStep, next_step
from lean_trellis.studio.own_style import apply_theme
from lean_trellis.studio.palette import ActionPalette, Findable, findable_actions
from lean_trellis.studio.recovered import RecoveredJobs
from lean_trellis.studio.recovery import Recovery
from lean_trellis.studio.session import Session
from lean_trellis.studio.set_library import SetLibrary
from lean_trellis.studio.start_page import StartPage
from lean_trellis.studio.stations.parts import PartsStation
from lean_trellis.studio.stations.release import ReleaseStation
from lean_trellis.studio.stations.station import Station
from lean_trellis.studio.stations.supports import SupportsStation
from lean_trellis.studio.theme import DAY, NIGHT
from lean_trellis.studio.traveller import Traveller
from lean_trellis.studio.views import Views
from lean_trellis.studio.whats_new import WhatsNew

if TYPE_CHECKING:
    from lean_trellis.studio.board_window import BoardWindow

_SETTLED_MS = 500


class MainWindow(QMainWindow):
    """Puts the pieces together: `files`, `views`, `bench` and `menus` each do their own; the session does the rest."""

    application: QApplication | None = None

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.sets: SetLibrary | None = None
        self.board: BoardWindow | None = None
        self.batch: BatchWindow | None = None
        self._library_problem: TrellisError | None = None
        self._tokens = NIGHT if session.settings.night else DAY
        self.setWindowTitle("Lean Trellis")
        self.setWindowIcon(QIcon(str(Path(__file__).parent / "icons" / "leaf.svg")))
        self.setAcceptDrops(True)
        self._next: NextStep | None = None
        self._idle = QTimer(self)
        self._idle.timeout.connect(self._make_ready)
        self._seen_from_below = False
        self._resized = single_shot(self, _SETTLED_MS)
        self._resized.timeout.connect(self._remember_size)
        self.resize(*(session.settings.window or [1280, 800]))
        self.files = Files(session, self)
        self.bench = Bench(session)
        self.bench.set_tokens(self._tokens)
        self.views = Views(session, self.bench, self._tokens)
        self.traveller = Traveller(session, self.bench.stations, self._tokens)
        self.header, self.status = Header(session), StatusLine(session, self._tokens)
        self.recovery = Recovery(session, self)
        self.recovered = RecoveredJobs(session, self.recovery, self.files.after_asking, self)
        switches = self.views.switches() | {"night": self._take_shift, "next_step": self._switch_next}
        self.menus = Menus(self, self._handlers(), switches)
        self.menus.add_stations(self.bench.stations, self.bench.open)
        self.menus.check("night", is_on=session.settings.night)
        self.menus.check("next_step", is_on=session.settings.next_step)
        self.menus.check("vertical", is_on=session.settings.angles_from_vertical)
        self.menus.check("inches", is_on=session.settings.inches)
        UNITS.show_inches(is_on=session.settings.inches)
        self.views.show_switches(self.menus.check)
        self.start_page = StartPage(session)
        self._build_layout()
        name_controls(self)
        self._connect()
        self.bench.open("parts")

    def _handlers(self) -> dict[str, Callable[[], object]]:
        """What plain actions do, by their ids."""
        mine: dict[str, Callable[[], object]] = {
            "recovered": lambda: self.recovered.offer(even_when_empty=True),
            "quit": self.close,
            "palette": self._show_palette,
            "do_next": self._do_next,
            "keys": self._show_keys,
            "sets": self.show_sets,
            "batch": self.show_batch,
            "whats_new": lambda: WhatsNew(self).show(),
            "about": self._show_about,
        }
        return mine | self.files.handlers() | self.views.handlers() | self.bench.handlers()

    # --- building ---

    def _build_layout(self) -> None:
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        self.splitter = QSplitter(Qt.Orientation.Horizontal)
        self.splitter.setHandleWidth(1)
        self.splitter.addWidget(self.views)
        self.splitter.addWidget(self.bench)
        self.splitter.setStretchFactor(0, 1)
        self.splitter.setStretchFactor(1, 0)
        self.splitter.setSizes([706, 352])
        self.splitter.setChildrenCollapsible(False)
        row = QHBoxLayout()
        row.setSpacing(0)
        row.addWidget(self.traveller)
        row.addWidget(self.splitter, 1)
        column.addLayout(row, 1)
        column.addWidget(self.status)
        self.setCentralWidget(centre)
        self.start_page.setParent(centre)
        self.views.resized.connect(self._show_start)

    def _connect(self) -> None:
        session = self.session
        for signal in (
            session.job_changed,
            session.derived_changed,
            session.selection_changed,
            session.file_changed,
        ):
            signal.connect(self.refresh)
        session.file_changed.connect(lambda: self.files.list_recent(self.menus.recent))
        self.files.board_wanted.connect(self.show_board)
        self.files.parts_come.connect(lambda: self.bench.open("parts"))
        session.job_shown.connect(self.views.start_anew)
        session.parts_came.connect(self.views.view.fit)
        self.start_page.asked.connect(self.menus.run)
        self.status.next_step.clicked.connect(self._do_next)
        self.header.find_action.clicked.connect(self._show_palette)
        self.status.findings_words.clicked.connect(lambda: self.bench.open("release"))
        self.traveller.opened.connect(self.bench.open)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        application.focusChanged.connect(self._focus_moved)
        self.bench.opened.connect(self._station_opened)
        self.bench.view_asked.connect(self.views.take)
        self.bench.file_asked.connect(self.files.take)
        self.bench.action_asked.connect(self.menus.run)
        self.views.measured.connect(self.bench.of(PartsStation).size_section.show_measure)
        self.views.vertical_changed.connect(self.refresh)
        self.views.looked.connect(self._show_next)

    def event(self, event: QEvent | None) -> bool:
        """What a field refused is said in the status line."""
        if isinstance(event, ValueRefused):
            self.session.said.emit("stop", event.why)
            return True
        return super().event(event)

    def start(self, *, warms_up: bool = True) -> None:
        """Begin to draw, once the window is shown.

        What is there by now stays until the end: the garbage collector need not walk over it again and again, which
        takes a tenth of a second each time.
        """
        self.views.view.start(warms_up=warms_up)
        # Edits turn parts and look for what is nearest; nobody waits for that to be imported.
        threading.Thread(target=import_module, args=("scipy.spatial.transform",), daemon=True).start()
        self._unread: list[Callable[[], object]] = [self.session.read_library, shipped_recipes, shipped_sets]
        self._idle.start()
        gc.freeze()

    def _make_ready(self) -> None:
        """While nothing else is to be done: what is needed later, a piece at a time."""
        if self._unread:
            self._unread.pop()()
            return
        if not self.bench.of(SupportsStation).values.make_ready():
            self._idle.stop()
            gc.freeze()

    @property
    def station(self) -> Station:
        """The open station."""
        return self.bench.station

    def _station_opened(self) -> None:
        self.views.take_station()
        self.refresh()
        self.views.view.refresh()

    # --- actions ---

    def _show_palette(self) -> None:
        """Show the search for actions, settings and values under the header."""
        entries = findable_actions(list(self.menus.by_id.values()))
        entries += [Findable(words, show) for words, show in self.bench.findables()]
        self.palette_dialog = ActionPalette(entries, self)
        corner = self.mapToGlobal(self.rect().topLeft())
        self.palette_dialog.move(corner.x() + (self.width() - self.palette_dialog.width()) // 2, corner.y() + 70)
        self.palette_dialog.show()
        self.palette_dialog.field.setFocus()

    def _take_shift(self, is_night: bool) -> None:
        """Change between day and night colours."""
        self.session.settings.night = is_night
        self._tokens = NIGHT if is_night else DAY
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        apply_theme(application, self._tokens)
        for painted in (self.views, self.traveller, self.status, self.bench):
            painted.set_tokens(self._tokens)
        self.refresh()

    def _show_keys(self) -> None:
        KeysSheet(len(self.bench.stations), self).show()

    def show_sets(self) -> None:
        """The shop's parameter sets in a window of their own."""
        if self.sets is None:
            self.sets = SetLibrary(self.session, self)
        support = self.session.support
        if support is not None:
            self.sets.choose(support.set_name)
        self.sets.show()
        self.sets.raise_()

    def show_board(self) -> None:
        """The shop's build board in a window of its own."""
        from lean_trellis.studio.board_window import BoardWindow  # the database is a second of the window's start

        if self.board is None:
            self.board = BoardWindow(self.session, self, self._take_message)
        self.board.show()
        self.board.raise_()
        self.board.refresh()

    def show_batch(self) -> None:
        """A recipe over a folder of files, in a window of its own."""
        if self.batch is None:
            self.batch = BatchWindow(self.session, self, lambda path: self.files.take_files([path]))
        self.batch.show()
        self.batch.raise_()
        self.batch.refresh()

    def _take_message(self, message: object) -> None:
        """Do what a window beside this one asks for."""
        if isinstance(message, OpenSecond):
            self.files.take(message)

    def _show_about(self) -> None:
        QMessageBox.about(
            self, "About", f"<b>Lean Trellis {__version__}</b><br>Parts, supports and shared builds for additive "
            "manufacturing.<br>GPL-3.0-or-later. Type: Lato, SIL Open Font Licence.",
        )  # fmt: skip

    # --- keys, drops, closing ---

    def _focus_moved(self, old: QWidget | None, new: QWidget | None) -> None:
        """A field that was left with Return gives the keys back to the view."""
        if new is None and isinstance(old, TextField) and self.isActiveWindow() and self.isAncestorOf(old):
            self.views.view.canvas.setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Escape ends a mode, then cancels what runs. Return presses the button that has the focus."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            if not self.views.end_mode():
                self.session.cancel()
            return
        focused = self.focusWidget()
        if event is not None and event.key() in RETURNS and isinstance(focused, QAbstractButton):
            focused.click()
            return
        super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Files may be dropped."""
        data = None if event is None else event.mimeData()
        if event is not None and data is not None and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Import dropped files, or open a dropped job."""
        data = None if event is None else event.mimeData()
        if event is not None and data is not None:
            paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
            if paths:
                event.acceptProposedAction()
                self.files.take_files(paths)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The size is remembered when it has settled."""
        super().resizeEvent(event)
        self._resized.start()

    def _remember_size(self) -> None:
        if not self.isMaximized():
            self.session.settings.window = [self.width(), self.height()]

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Ask about unsaved work, remember the window, end the worker."""
        if event is None:
            return
        if not self._is_closing and not self.session.is_saved:
            event.ignore()
            self.files.after_asking(self._close_for_good)
            return
        self._resized.stop()
        self._idle.stop()
        self._remember_size()
        self.recovery.finish()
        self.status.finish()
        self.views.finish()
        self.session.close()
        event.accept()

    _is_closing = False

    def _close_for_good(self) -> None:
        self._is_closing = True
        self.close()

    # --- showing ---

    def refresh(self) -> None:
        """Bring everything round the view in step with the session."""
        session = self.session
        self.header.refresh()
        self.status.refresh()
        self.setWindowTitle(f"{session.job.name}{'' if session.is_saved else ' *'} – Lean Trellis")
        self.station.refresh()
        self.traveller.refresh(self.station)
        self.menus.refresh(session, self.station)
        self.views.refresh()
        self._show_start()
        self._show_next()
        self._tell_library()

    def _tell_library(self) -> None:
        """Say once that the shop library is lost, and once that it is back."""
        problem = self.session.sets.problem
        if (problem is None) != (self._library_problem is None):
            self._library_problem = problem
            if problem is not None:
                self.session.said.emit("caution", f"Shop library: {problem}. Going on with what was read from it")
            else:
                self.session.said.emit("fine", "The shop library is back")

    def _show_start(self) -> None:
        """While the job is empty, the start page lies over the views."""
        page, centre = self.start_page, self.centralWidget()
        page.setGeometry(QRect(self.views.mapTo(centre, QPoint(0, 0)), self.views.size()))
        if page.isHidden() == page.is_wanted:
            page.setVisible(page.is_wanted)
            page.raise_()
            if page.is_wanted:
                page.setFocus()

    def _show_next(self) -> None:
        """The next sensible step in the status line, unless that is switched off."""
        session = self.session
        if not session.job.supports:
            self._seen_from_below = False
        elif self.views.view.eye.height < 0:
            self._seen_from_below = True
        self._next = next_step(session, seen_from_below=self._seen_from_below) if session.settings.next_step else None
        self.status.show_next("" if self._next is None else self._next.words)

    def _do_next(self) -> None:
        """Do what is said to be the next step."""
        step = self._next
        if step is None:
            return
        if step.action == "below":
            self._seen_from_below = True
        if step.action:
            self.menus.run(step.action)
        else:
            self.bench.open(step.station)
        if step.part:
            self.session.select(parts=(step.part,))
        if step.finding is not None:
            self.bench.of(ReleaseStation).show_finding(step.finding)
        self.refresh()

    def _switch_next(self, is_on: bool) -> None:
        self.session.settings.next_step = is_on
        self.refresh()
