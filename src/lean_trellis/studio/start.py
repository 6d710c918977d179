"""Putting the window together, for the program, for pictures and for tests."""

from __future__ import annotations

import sys
import traceback
from types import TracebackType

from PyQt6.QtCore import QCoreApplication, QLocale, Qt
from PyQt6.QtWidgets import QApplication

from lean_trellis.core.shop import full_library, shipped_library
from lean_trellis.studio.own_style import apply_font_and_signs, apply_theme
from lean_trellis.studio.session import Session
from lean_trellis.studio.settings import Settings
from lean_trellis.studio.theme import DAY, NIGHT, load_fonts
from lean_trellis.studio.window import MainWindow


def make_application(settings: Settings) -> QApplication:
    """The Qt application with our type and colours."""
    QLocale.setDefault(QLocale.c())
    QCoreApplication.setAttribute(Qt.ApplicationAttribute.AA_DontCreateNativeWidgetSiblings)
    application = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(application, QApplication)
    application.setApplicationName("Lean Trellis")
    QCoreApplication.setAttribute(Qt.ApplicationAttribute.AA_DontUseNativeDialogs)
    load_fonts()
    apply_font_and_signs(application, NIGHT if settings.night else DAY)
    return application


def make_window(settings: Settings) -> MainWindow:
    """The window with a session of its own; show it, then call its `start()`."""
    application = QApplication.instance()
    assert isinstance(application, QApplication), "the application is made first"
    # Styled once, when all is put together: each step of putting together would style again what is in it.
    application.setStyleSheet("")
    shipped = shipped_library()
    ships = settings.machine in ("", *shipped.machines) and settings.material in ("", *shipped.materials)
    window = MainWindow(Session(shipped if ships else full_library(), settings))
    apply_theme(application, NIGHT if settings.night else DAY)
    return window


def report_faults(window: MainWindow) -> None:
    """Say an error of the program in the window and go on; without this Qt would end the program and lose the job."""

    def report(kind: type[BaseException], fault: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            window.close()
            return
        sys.stderr.write("".join(traceback.format_exception(kind, fault, trace)))
        window.session.said.emit("stop", f"An error of the program: {fault!r}. Your job is kept; save it.")

    sys.excepthook = report
