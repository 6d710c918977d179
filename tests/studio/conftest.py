"""A real window on a display of its own; nothing is left running, unexpected Qt messages fail."""

from __future__ import annotations

import gc
import multiprocessing
import sys
import threading
from collections.abc import Callable, Iterator
from pathlib import Path
from types import FrameType
from typing import Any

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QAction
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QComboBox,
    QLineEdit,
    QMenu,
    QScrollArea,
    QTabWidget,
    QWidget,
)
from PyQt6.sip import isdeleted

from lean_trellis.core.formats import Body
from lean_trellis.core.heavy import EVENT
from lean_trellis.core.job import edits
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.sets.saved import shop_recipes, shop_sets
from lean_trellis.core.shop import full_library
from lean_trellis.studio.actions import ACTIONS
from lean_trellis.studio.forms.fields import NumberField
from lean_trellis.studio.forms.fold import Fold
from lean_trellis.studio.pictures import settle, wait_until
from lean_trellis.studio.settings import Settings
from lean_trellis.studio.start import make_application, make_window
from lean_trellis.studio.window import MainWindow


@pytest.fixture(scope="session")
def application(display: str) -> QApplication:
    return make_application(Settings())


@pytest.fixture(scope="session")
def qapp(application: QApplication) -> QApplication:
    """The application that pytest-qt watches: warnings of Qt and errors in slots fail the test they happen in."""
    return application


_DOES: Any = QTest
"""What a person does; the stubs leave out that its members are static."""
_HEAVY_HERE: list[str] = []
"""Heavy work that the window began on its own thread, and from where."""
_LISTENS: list[str] = []
"""The test of the window that is run: others of the same process begin heavy work themselves."""


def _listen(event: str, args: tuple[object, ...]) -> None:
    if event != EVENT or not _LISTENS or threading.current_thread() is not threading.main_thread():
        return
    calls = list(_calls())[::-1]
    places = [place for place, call in enumerate(calls) if "lean_trellis/studio" in call.f_code.co_filename]
    if not places:
        return
    first, last = calls[places[0]], calls[places[-1]]
    before = calls[places[0] - 1].f_code.co_filename
    is_what_a_worker_does = first.f_code.co_name == "answer" or before.endswith("derive/graph.py")
    if not is_what_a_worker_does:  # else a test asks a request or a node itself
        _HEAVY_HERE.append(f"{args[0]}, asked for by {Path(last.f_code.co_filename).name}:{last.f_lineno}")


def _calls() -> Iterator[FrameType]:
    """Who called, the nearest first. `traceback` reads every source on the way: too slow for each ray."""
    call: FrameType | None = sys._getframe(1)
    while call is not None:
        yield call
        call = call.f_back


sys.addaudithook(_listen)


@pytest.fixture(autouse=True)
def the_window_lends_its_thread_to_no_heavy_work(request: pytest.FixtureRequest) -> Iterator[None]:
    """Rays, unions, outlines, meshing and parsing belong to the worker."""
    _HEAVY_HERE.clear()
    _LISTENS.append(request.node.nodeid)
    yield
    _LISTENS.clear()
    assert _HEAVY_HERE == []


_FAILED = pytest.StashKey[int]()


@pytest.hookimpl(tryfirst=True)
def pytest_runtest_setup(item: pytest.Item) -> None:
    """How many have failed before: a window in which a test failed is not used again."""
    item.stash[_FAILED] = item.session.testsfailed


class User:
    """What a person does with the window: clicks, types, drags, waits."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.session = window, window.session

    def settle(self) -> None:
        settle(self.window)

    def key(self, key: Qt.Key | str, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        in_front = QApplication.activeWindow()
        if in_front is None or not in_front.isVisible():  # it has just gone: no key reaches an action until then
            self.window.activateWindow()
            wait_until(self.window.isActiveWindow)
        target = QApplication.focusWidget() or self.window
        _DOES.keyClick(target, key, modifier)
        QApplication.processEvents()

    def press(self, button: QWidget) -> None:
        self.open_tab(button)
        assert button.isVisible(), "a person cannot press what is not shown"
        assert button.isEnabled(), "a person cannot press what is greyed out"
        _DOES.mouseClick(button, Qt.MouseButton.LeftButton)
        self._wait_for_library()

    def _wait_for_library(self) -> None:
        """A person waits until what was saved is there."""
        QApplication.processEvents()
        if self.session.library_work.is_waiting:
            wait_until(lambda: not self.session.library_work.is_waiting)

    def open_tab(self, widget: QWidget) -> None:
        """Open the tab of a bench that a widget is on, by a click on it."""
        page, holder = widget, widget.parentWidget()
        while holder is not None:
            if isinstance(holder, QTabWidget):
                pages = [holder.widget(number) for number in range(holder.count())]
                place = next(n for n, own in enumerate(pages) if own is not None and own.isAncestorOf(page))
                bar = holder.tabBar()
                assert bar is not None, "tabs have a bar"
                if holder.currentIndex() == place:
                    return
                _DOES.mouseClick(bar, Qt.MouseButton.LeftButton, pos=bar.tabRect(place).center())
                QApplication.processEvents()
                return
            page, holder = widget, holder.parentWidget()

    def trigger(self, action: QAction) -> None:
        """Choose an entry of a menu."""
        assert action.isEnabled(), "a person cannot choose what is greyed out"
        action.trigger()
        self._wait_for_library()

    def unfold(self, fold: Fold) -> None:
        self.open_tab(fold)
        if not fold.is_open:
            self.press(fold.heading)
        self.bring_into_view(fold)

    def bring_into_view(self, widget: QWidget) -> None:
        self.open_tab(widget)
        holder = widget.parentWidget()
        while holder is not None and not isinstance(holder, QScrollArea):
            holder = holder.parentWidget()
        QApplication.processEvents()
        if holder is not None:
            holder.ensureWidgetVisible(widget)
        QApplication.processEvents()

    def type_into(self, field: QWidget, text: str) -> None:
        self.open_tab(field)
        assert field.isEnabled()
        field.setFocus()
        _DOES.keyClick(field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        _DOES.keyClick(field, Qt.Key.Key_Delete)
        _DOES.keyClicks(field, text)
        _DOES.keyClick(field, Qt.Key.Key_Return)
        QApplication.processEvents()

    def choose(self, box: QComboBox, key: str) -> None:
        self.open_tab(box)
        box.setFocus()
        place = box.findData(key)
        assert place >= 0, f"{key} is not offered"
        box.setCurrentIndex(place)
        box.activated.emit(place)
        QApplication.processEvents()

    def click_row(
        self, table: Any, key: object, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        index = table.model().index(table.keys().index(key), 0)
        table.scrollTo(index)
        middle = table.visualRect(index).center()
        _DOES.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, modifier, middle)
        QApplication.processEvents()

    def on_screen(self, place: tuple[float, float, float]) -> QPoint:
        """Where a place of the plate's frame is on the canvas."""
        view = self.window.views.view
        view.aim()
        view.renderer.SetWorldPoint(*place, 1.0)
        view.renderer.WorldToDisplay()
        x, y, _ = view.renderer.GetDisplayPoint()
        ratio = view.canvas.devicePixelRatioF()
        return QPointF(x / ratio, view.canvas.height() - 1 - y / ratio).toPoint()

    def click_at(
        self,
        place: tuple[float, float, float],
        modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
    ) -> None:
        _DOES.mouseClick(self.window.views.view.canvas, Qt.MouseButton.LeftButton, modifier, self.on_screen(place))
        QApplication.processEvents()

    def drag(self, begin: QPoint, end: QPoint, button: Qt.MouseButton = Qt.MouseButton.LeftButton) -> None:
        canvas = self.window.views.view.canvas
        _DOES.mousePress(canvas, button, Qt.KeyboardModifier.NoModifier, begin)
        for step in range(1, 6):
            _DOES.mouseMove(canvas, begin + (end - begin) * step / 5)
            QApplication.processEvents()
        _DOES.mouseRelease(canvas, button, Qt.KeyboardModifier.NoModifier, end)
        QApplication.processEvents()

    def station(self, key: str) -> Any:
        """Open a station with its keys and give its bench."""
        place = [station.key for station in self.window.bench.stations].index(key)
        self.window.setFocus()
        self.key(str(place + 1), Qt.KeyboardModifier.AltModifier)
        in_front = QApplication.activeWindow(), QApplication.activePopupWidget(), QApplication.focusWidget()
        assert self.window.station.key == key, f"in front are {in_front}"
        return self.window.station

    def change_set(self, name: str) -> None:
        """Give the current support another set, from the menu of its button."""
        chooser: Any = self.window.findChild(QMenu, "supports.change_set")
        assert chooser.isEnabled()
        chooser.aboutToShow.emit()
        (action,) = [action for action in chooser.actions() if action.data() == name]
        assert action.isEnabled()
        action.trigger()
        QApplication.processEvents()

    def field(self, name: str) -> Any:
        found = self.window.findChild(QWidget, name)
        assert found is not None, name
        return found


class Shared:
    """One window for many tests: it is put back to how it was after each, and made anew where that is not to be had."""

    def __init__(self) -> None:
        self.window: MainWindow | None = None
        self._file = ""
        self._values: list[tuple[QWidget, object]] = []

    def taken(self, file: str, *, warms_up: bool) -> MainWindow:
        """The window, made and shown where there is none.

        It knows what was derived by tests of the same file, which come in order, and nothing of others.
        """
        if self.window is not None and file != self._file:
            self.window.session.graph.clear()
        self._file = file
        if self.window is None:
            self.window = made = make_window(Settings(window=[1280, 800]))
            made.move(0, 0)
            made.show()
            made.activateWindow()
            made.start(warms_up=warms_up)
            wait_until(lambda: made.isVisible() and made.isActiveWindow() and made.views.view.warm_up.is_done)
            self._values = [(widget, _value(widget)) for widget in made.findChildren(QWidget)]
            self._halves = made.views.sizes()
        return self.window

    def put_back(self) -> None:
        """Everything as in a window just opened."""
        window = self.window
        assert window is not None
        assert QApplication.activeModalWidget() is None, "a question was left open"
        session = window.session
        session.give_up()
        session.new_job()  # of which nothing follows that would be computed next
        session.drop_work()
        wait_until(lambda: session.worker.task is None and not session.library_work.is_waiting)
        for key, value in Settings(window=[1280, 800]).model_dump().items():
            setattr(session.settings, key, value)
        session.library = full_library()
        for station in window.bench.stations:
            station.leave()
        for widget, value in self._values:
            if not isdeleted(widget):
                _put(widget, value)
        for entry in ACTIONS:
            action = window.menus.by_id[entry.id]
            if entry.is_switch and entry.id != "map" and action.isChecked() != entry.starts_on:
                action.trigger()
        session.new_job()
        session.select(parts=(), regions=frozenset(), support="")
        window.recovery.finish()
        window.views.view.start_anew()
        window.resize(1280, 800)
        window.views.setSizes(self._halves)
        window.status.say("", "")
        window.views.viewbar.where.setText("")
        window.bench.open("parts")
        window.views.map.show_all()
        QApplication.processEvents()

    def drop(self) -> None:
        """Close it for good: nothing of it is left running."""
        window, self.window, self._values = self.window, None, []
        if window is None:
            return
        window.session.replace_job(window.session.job, None)
        window.close()
        window.deleteLater()
        QApplication.processEvents()
        gc.unfreeze()
        assert multiprocessing.active_children() == []
        assert [t.name for t in threading.enumerate() if "worker" in t.name] == []


def _value(widget: QWidget) -> object:
    if isinstance(widget, QLineEdit):
        return widget.text()
    if isinstance(widget, QComboBox):
        return widget.currentData()
    if isinstance(widget, QAbstractButton) and widget.isCheckable():
        return widget.isChecked()
    return None


def _put(widget: QWidget, value: object) -> None:
    if isinstance(widget, QLineEdit) and widget.text() != value:
        widget.setText(str(value))
        widget.setModified(False)
        if isinstance(widget, NumberField):
            widget._shown = str(value)  # what Escape brings back
    elif isinstance(widget, QComboBox) and widget.currentData() != value:
        widget.setCurrentIndex(widget.findData(value))
    elif isinstance(widget, QAbstractButton) and widget.isCheckable() and widget.isChecked() != value:
        widget.setChecked(bool(value))


@pytest.fixture(scope="session")
def shared(application: QApplication) -> Iterator[Shared]:
    window = Shared()
    yield window
    window.drop()


@pytest.fixture
def user(shared: Shared, request: pytest.FixtureRequest) -> Iterator[User]:
    """The window, as just opened. What is measured alone and what is marked `fresh` has one of its own."""
    is_alone = request.node.get_closest_marker("alone") is not None
    is_fresh = is_alone or request.node.get_closest_marker("fresh") is not None
    if is_fresh:
        shared.drop()
    window = shared.taken(request.path.name, warms_up=is_alone)
    window.session.sets, window.session.recipes = shop_sets(), shop_recipes()  # in the folders of this test
    yield User(window)
    is_gone = shared.window is None or not shared.window.isVisible()
    if is_fresh or is_gone or request.session.testsfailed != request.node.stash.get(_FAILED, 0):
        shared.drop()
    else:
        shared.put_back()


@pytest.fixture
def with_parts(user: User) -> Callable[..., User]:
    """The window with parts made of meshes, everything derived, the first one in hand."""

    def filled(*meshes: Mesh) -> User:
        bodies = [Body(f"part {n}", mesh, len(mesh.faces)) for n, mesh in enumerate(meshes, start=1)]
        user.session.do(lambda job: edits.add_bodies(job, bodies))
        user.session.select(parts=(user.session.job.parts[0].id,))
        user.settle()
        user.window.views.view.fit()
        user.settle()
        return user

    return filled
