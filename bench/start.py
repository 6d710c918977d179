"""`./trellis bench start`: how long commands and the window take to begin, beside a bare import of the libraries.

Every row is taken in processes of its own; the shortest of three counts, so that files are in memory. The window is
timed from the start of its process until its first frame is drawn, and until the first part of the demo is.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from lean_trellis.core.formats.stl import stl_bytes
from lean_trellis.core.mesh.primitives import box
from measured import Measured, best_of

_BARE = "import numpy, scipy, PyQt6, vtk"
_WINDOW = """
import sys, time
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication
began = float(sys.argv.pop(1))
told = []

def watch(_application=None):
    from lean_trellis.studio.window import MainWindow
    window = next(w for w in QApplication.topLevelWidgets() if isinstance(w, MainWindow))
    timer = QTimer()

    def look():
        if not told and window.isVisible() and window.views.view._frame_s > 0:
            told.append(time.time() - began)
        session = window.session
        if told and any(session.shown_part(part) is not None for part in session.job.parts):
            window.views.view.draw_now()
            told.append(time.time() - began)
            sys.stdout.write(f"{told[0]} {told[1]}\\n")
            sys.stdout.flush()
            timer.stop()
            session.replace_job(session.job, None)
            window.close()

    timer.timeout.connect(look)
    timer.start(5)
    return run()

run, QApplication.exec = QApplication.exec, watch
from lean_trellis.studio.__main__ import main
sys.exit(main())
"""


def _shell(*command: str) -> None:
    subprocess.run(command, check=True, capture_output=True)


def _window(demo: str) -> tuple[float, float]:
    """Seconds until the window's first frame, and until the first part is drawn."""
    command = [sys.executable, "-c", _WINDOW, repr(time.time()), "--demo", demo]
    done = subprocess.run(command, check=True, capture_output=True, text=True, timeout=120)
    shown, part = (float(word) for word in done.stdout.split()[-2:])
    return shown, part


def starts() -> list[Measured]:
    """The rows."""
    from lean_trellis.studio.display import prepare_platform, virtual_display

    prepare_platform()
    bare = best_of(lambda: _shell(sys.executable, "-c", _BARE))
    against = f"a bare {_BARE}"
    program = str(Path(sys.executable).parent / "lean-trellis")
    rows = []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        small = folder / "box.stl"
        small.write_bytes(stl_bytes(box((20, 14, 6))))
        rows.append(Measured("lean-trellis --help", best_of(lambda: _shell(program, "--help")), against, bare, 0.3))
        inspected = best_of(lambda: _shell(program, "inspect", str(small)))
        rows.append(Measured("lean-trellis inspect of 12 faces", inspected, against, bare, 0.8))
        os.environ |= {"XDG_CONFIG_HOME": name, "XDG_STATE_HOME": name}
        with virtual_display():
            for demo in ("metal", "vat", "extrusion", "belt"):
                taken = [_window(demo) for _ in range(3)]
                shown, part = (min(times) for times in zip(*taken, strict=True))
                if demo == "metal":
                    rows.append(Measured("the window, until its first frame", shown, against, bare, 2.5))
                rows.append(Measured(f"the {demo} demo, until its first part is drawn", part, against, bare, 4.0))
    return rows
