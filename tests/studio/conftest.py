"""A real window on a display of its own; nothing is left running, unexpected Qt messages fail."""

from __future__ import annotations

import multiprocessing
import sys
import threading
from collections.abc import Callable, Iterator
from types import TracebackType

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt, QtMsgType, qInstallMessageHandler
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QScrollArea, QWidget

from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits
from lean_trellis.core.mesh import Mesh
from lean_trellis.studio.forms.fields import NumberField
from lean_trellis.studio.forms.fold import Fold
from lean_trellis.studio.pictures import settle, wait_until
from lean_trellis.studio.settings import Settings
from lean_trellis.studio.start import make_application, make_window
from lean_trellis.studio.window import MainWindow


@pytest.fixture(scope="session")
def application(display: str) -> QApplication:
    return make_application(Settings())


@pytest.fixture(autouse=True)
def qt_says_nothing() -> Iterator[None]:
    """Warnings of Qt are faults of ours."""
    said: list[str] = []

    def listen(kind: QtMsgType, _: object, words: str | None) -> None:
        if kind != QtMsgType.QtDebugMsg and "propagateSizeHints" not in str(words):
            said.append(str(words))

    before = qInstallMessageHandler(listen)
    yield
    qInstallMessageHandler(before)
    assert said == []


@pytest.fixture(autouse=True)
def nothing_is_raised_in_a_slot(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """An error in a slot or in a thread fails the test it happens in."""
    raised: list[BaseException] = []

    def take(kind: type[BaseException], fault: BaseException, trace: TracebackType | None) -> None:
        raised.append(fault)
        sys.__excepthook__(kind, fault, trace)

    monkeypatch.setattr(sys, "excepthook", take)
    monkeypatch.setattr(threading, "excepthook", lambda args: raised.append(args.exc_value))
    yield
    assert raised == []


class User:
    """What a person does with the window: clicks, types, drags, waits."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.session = window, window.session

    def settle(self) -> None:
        settle(self.window)

    def key(self, key: Qt.Key | str, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        target = QApplication.focusWidget() or self.window
        QTest.keyClick(target, key, modifier)
        QApplication.processEvents()

    def press(self, button: QWidget) -> None:
        assert button.isVisible(), "a person cannot press what is not shown"
        assert button.isEnabled(), "a person cannot press what is greyed out"
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        QApplication.processEvents()

    def unfold(self, fold: Fold) -> None:
        if not fold.is_open:
            self.press(fold.heading)
        self.bring_into_view(fold)

    def bring_into_view(self, widget: QWidget) -> None:
        holder = widget.parentWidget()
        while holder is not None and not isinstance(holder, QScrollArea):
            holder = holder.parentWidget()
        QApplication.processEvents()
        if holder is not None:
            holder.ensureWidgetVisible(widget)
        QApplication.processEvents()

    def type_into(self, field: QWidget, text: str) -> None:
        assert field.isEnabled()
        field.setFocus()
        QTest.keyClick(field, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        QTest.keyClick(field, Qt.Key.Key_Delete)
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)
        QApplication.processEvents()

    def choose(self, box: QWidget, key: str) -> None:
        box.setFocus()
        place = box.findData(key)
        assert place >= 0, f"{key} is not offered"
        box.setCurrentIndex(place)
        box.activated.emit(place)
        QApplication.processEvents()

    def click_row(
        self, table: QWidget, key: object, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        index = table.model().index(table.keys().index(key), 0)
        table.scrollTo(index)
        middle = table.visualRect(index).center()
        QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, modifier, middle)
        QApplication.processEvents()

    def on_screen(self, place: tuple[float, float, float]) -> QPoint:
        """Where a place of the plate's frame is on the canvas."""
        view = self.window.view
        view.draw_now()
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
        QTest.mouseClick(self.window.view.canvas, Qt.MouseButton.LeftButton, modifier, self.on_screen(place))
        QApplication.processEvents()

    def drag(self, begin: QPoint, end: QPoint, button: Qt.MouseButton = Qt.MouseButton.LeftButton) -> None:
        canvas = self.window.view.canvas
        QTest.mousePress(canvas, button, Qt.KeyboardModifier.NoModifier, begin)
        for step in range(1, 6):
            QTest.mouseMove(canvas, begin + (end - begin) * step / 5)
            QApplication.processEvents()
        QTest.mouseRelease(canvas, button, Qt.KeyboardModifier.NoModifier, end)
        QApplication.processEvents()

    def station(self, key: str):
        """Open a station with its number key and give its bench."""
        place = self.window._place(key)
        self.window.setFocus()
        self.key(str(place + 1))
        assert self.window.station.key == key
        return self.window.station

    def field(self, name: str) -> NumberField:
        found = self.window.findChild(QWidget, name)
        assert found is not None, name
        return found


@pytest.fixture
def user(application: QApplication, request: pytest.FixtureRequest) -> Iterator[User]:
    window = make_window(Settings(window=[1280, 800]))
    window.move(0, 0)
    window.show()
    window.activateWindow()
    window.view.start(warms_up=request.node.get_closest_marker("alone") is not None)
    wait_until(lambda: window.isVisible() and window.isActiveWindow())
    yield User(window)
    window.session.replace_job(window.session.job, None)
    window.close()
    window.deleteLater()
    QApplication.processEvents()
    assert multiprocessing.active_children() == []
    assert [t.name for t in threading.enumerate() if "worker" in t.name] == []


@pytest.fixture
def with_parts(user: User) -> Callable[..., User]:
    """The window with parts made of meshes, everything derived, the first one in hand."""

    def filled(*meshes: Mesh) -> User:
        bodies = [Body(f"part {n}", mesh, len(mesh.faces)) for n, mesh in enumerate(meshes, start=1)]
        user.session.do(lambda job: edits.add_bodies(job, bodies))
        user.session.select(parts=(user.session.job.parts[0].id,))
        user.settle()
        user.window.view.fit()
        user.settle()
        return user

    return filled
