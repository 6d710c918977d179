"""Pictures of the window, taken from the screen it is shown on."""

from __future__ import annotations

import multiprocessing
import os
import time
from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication, QWidget
from PyQt6.sip import voidptr

from lean_trellis.studio.settings import Settings
from lean_trellis.studio.start import make_application, make_window
from lean_trellis.studio.window import MainWindow

_PATIENCE_S = 60.0
"""Seconds of computing, of this process and those it has started, that may pass without what is waited for."""
_MOST_S = 900.0
_IDLE_S, _IDLE_SHARE = 30.0, 0.03
"""Nothing is going on where so many seconds pass with less than this share of computing: a busy machine gives more."""
_LOOK_MS = 20


def wait_until(is_so: Callable[[], bool], *, patience_s: float = _PATIENCE_S, why_not: Callable[[], str] = str) -> None:
    """Let the window work until something is so. Raises `TimeoutError`, with `why_not()`, when it never is.

    Patience is counted in computing time, and begins anew whenever `why_not()` says something else: on a busy machine
    a wait takes longer, but does not fail.
    """
    loop, look, clock = QEventLoop(), QTimer(), _ComputingTime()
    begin, before, words = time.monotonic(), clock.spent_s(), why_not()
    looked, spent_then = begin, before
    was_so = False

    def look_again() -> None:
        nonlocal before, words, looked, spent_then, was_so
        now, spent = time.monotonic(), clock.spent_s()
        was_so = is_so()  # what follows a moment later is another matter
        if was_so or spent - before > patience_s or now - begin > _MOST_S:
            loop.quit()
        elif now - looked > _IDLE_S:
            if spent - spent_then < _IDLE_SHARE * (now - looked):
                loop.quit()
            looked, spent_then = now, spent
        elif (said := why_not()) != words:
            before, words = spent, said

    look.timeout.connect(look_again)
    look.start(_LOOK_MS)
    loop.exec()
    look.stop()
    if not was_so:
        spent, passed = clock.spent_s() - before, time.monotonic() - begin
        raise TimeoutError(f"not there after {spent:.0f} s of computing, {passed:.0f} s in all. {why_not()}")


class _ComputingTime:
    """Computing time of this process and all processes it has started, ended ones as far as they were seen."""

    def __init__(self) -> None:
        self._below: dict[int, float] = {}

    def spent_s(self) -> float:
        """Seconds; they never become less."""
        ticks = os.sysconf("SC_CLK_TCK")
        for child in multiprocessing.active_children():
            if child.pid is None:
                continue
            try:
                fields = Path(f"/proc/{child.pid}/stat").read_text().rpartition(")")[2].split()
            except OSError:
                continue
            self._below[child.pid] = (int(fields[11]) + int(fields[12])) / ticks
        return time.process_time() + sum(self._below.values())


def open_demo_window(name: str = "metal", *, night: bool = False) -> MainWindow:
    """The window at 1280 x 800 with a demo build, everything derived."""
    window = _empty_window(night=night)
    show_demo(window, name)
    return window


def _empty_window(*, night: bool = False) -> MainWindow:
    settings = Settings(window=[1280, 800], night=night)
    application = make_application(settings)
    window = make_window(settings)
    window.application = application  # Python must hold it as long as the window lives
    window.move(0, 0)
    window.show()
    window.start()
    return window


def show_demo(window: MainWindow, name: str) -> None:
    """Open a demo build and wait until everything that follows is shown."""
    before = window.session.job
    window.files.open_demo(name)
    wait_until(lambda: window.session.job is not before, why_not=lambda: window.session.under_way)
    settle(window)
    window.views.view.fit()
    settle(window)


def settle(window: MainWindow) -> None:
    """Wait until everything that follows from the job is shown."""
    wait_until(lambda: window.session.is_settled, why_not=lambda: window.session.under_way)
    window.refresh()
    QApplication.processEvents()
    window.views.view.aim()


def take_picture(window: QWidget, path: Path) -> None:
    """Write what is on the screen where the window is."""
    if isinstance(window, MainWindow):
        QApplication.processEvents()
        for view in (window.views.view, window.views.beside.second):
            if view is not None:
                view.draw_now()
    for _ in range(3):
        QApplication.processEvents()
    screen = window.screen()
    assert screen is not None, "shown windows are on a screen"
    frame = window.frameGeometry()
    picture = screen.grabWindow(voidptr(0), frame.x(), frame.y(), frame.width(), frame.height())
    path.parent.mkdir(parents=True, exist_ok=True)
    if not picture.save(str(path)):
        raise OSError(f"{path}: cannot be written")


def write_picture(path: Path, name: str = "metal", files: Sequence[Path] = ()) -> str:
    """The window with a demo build, or with a job or parts from files, as one picture. Returns why there is none."""
    window = _empty_window()
    refused = _show_files(window, files) if files else ""
    if not files:
        show_demo(window, name)
    if not refused:
        take_picture(window, path)
    window.session.replace_job(window.session.job, None)
    window.close()
    return refused


def _show_files(window: MainWindow, files: Sequence[Path]) -> str:
    """Open a job, or import parts, and wait for what follows; why they were refused, if so."""
    before, refused = window.session.job, [""]
    window.session.said.connect(lambda kind, words: refused.append(words if kind == "stop" else ""))
    window.files.take_files(list(files))
    wait_until(lambda: window.session.job is not before or any(refused), why_not=lambda: window.session.under_way)
    settle(window)
    window.views.view.fit()
    return max(refused)
