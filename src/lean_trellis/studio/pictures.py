"""Pictures of the window, taken from the screen it is shown on."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QApplication, QWidget

from lean_trellis.studio.settings import Settings
from lean_trellis.studio.start import make_application, make_window
from lean_trellis.studio.window import MainWindow

_PATIENCE_MS = 60_000


def wait_until(is_so: Callable[[], bool], *, patience_ms: int = _PATIENCE_MS, why_not: Callable[[], str] = str) -> None:
    """Let the window work until something is so. Raises `TimeoutError`, with `why_not()`, when it never is."""
    loop, look, limit = QEventLoop(), QTimer(), QTimer(singleShot=True)
    look.timeout.connect(lambda: loop.quit() if is_so() else None)
    limit.timeout.connect(loop.quit)
    look.start(20)
    limit.start(patience_ms)
    loop.exec()
    look.stop()
    if not is_so():
        raise TimeoutError(f"the window did not get there in {patience_ms / 1000:.0f} s. {why_not()}")


def open_demo_window(name: str = "metal", *, night: bool = False) -> MainWindow:
    """The window at 1280 x 800 with a demo build, everything derived."""
    settings = Settings(window=[1280, 800], night=night)
    application = make_application(settings)
    window = make_window(settings)
    window.application = application  # Python must hold it as long as the window lives
    window.move(0, 0)
    window.show()
    window.view.start()
    show_demo(window, name)
    return window


def show_demo(window: MainWindow, name: str) -> None:
    """Open a demo build and wait until everything that follows is shown."""
    before = window.session.job
    window.open_demo(name)
    wait_until(lambda: window.session.job is not before, why_not=lambda: window.session.under_way)
    settle(window)
    window.view.fit()
    settle(window)


def settle(window: MainWindow) -> None:
    """Wait until everything that follows from the job is shown."""
    wait_until(lambda: window.session.is_settled, why_not=lambda: window.session.under_way)
    window.refresh()
    QApplication.processEvents()
    window.view.draw_now()
    QApplication.processEvents()


def take_picture(window: QWidget, path: Path) -> None:
    """Write what is on the screen where the window is."""
    for _ in range(3):
        QApplication.processEvents()
    screen = window.screen()
    frame = window.frameGeometry()
    picture = screen.grabWindow(0, frame.x(), frame.y(), frame.width(), frame.height())
    path.parent.mkdir(parents=True, exist_ok=True)
    if not picture.save(str(path)):
        raise OSError(f"{path}: cannot be written")


def write_picture(path: Path, name: str = "metal") -> None:
    """The window with a demo build as one picture."""
    window = open_demo_window(name)
    take_picture(window, path)
    window.session.replace_job(window.session.job, None)
    window.close()
