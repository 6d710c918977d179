"""A window that works by itself until it is killed: `python bench/window_at_work.py NAME LOG [--recover]`.

Every edit is numbered; number and time stand in LOG before the next one begins.
"""

from __future__ import annotations

import random
import sys
import time
from pathlib import Path

from PyQt6.QtCore import QTimer

from lean_trellis.core.formats.body import Body
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box, wavy_torus
from lean_trellis.core.sets.parameter_set import find_set, shipped_sets
from lean_trellis.studio.display import prepare_platform
from lean_trellis.studio.settings import Settings
from lean_trellis.studio.start import make_application, make_window
from lean_trellis.studio.window import MainWindow


class Worker:
    """Renames the part again and again; now and then something slow, so that the worker has other things to do."""

    def __init__(self, window: MainWindow, name: str, log: Path) -> None:
        self.window, self.name = window, name
        self.count = 0
        self.log = log.open("a", encoding="utf-8")
        self.chance = random.Random(name)
        self.timer = QTimer()
        self.timer.setInterval(200)
        self.timer.timeout.connect(self.edit)

    def begin(self, *, recovers: bool) -> None:
        window = self.window
        if recovers:
            window.recovered.offer()
            copies = window.recovered._copies
            mine = [place for place, copy in enumerate(copies) if copy.parts and copy.parts[0].startswith(self.name)]
            assert mine, "the copy of the window before is not listed"
            window.recovered.table.selectRow(mine[0])
            window.session.replaced.connect(lambda *_: QTimer.singleShot(0, self._go_on))
            window.recovered.open_button.click()
            return
        bodies = [Body(f"{self.name} 0", box((20, 20, 10)), 12), Body("torus", wavy_torus(200, 200), 80_000)]
        window.session.do(lambda job: edits.add_bodies(job, bodies))
        self._go_on()

    def _go_on(self) -> None:
        self.count = int(self.window.session.job.parts[0].name.split()[-1])
        self.timer.start()

    def edit(self) -> None:
        session = self.window.session
        part = session.job.parts[0]
        if self.chance.random() < 0.1:
            chosen = find_set(shipped_sets(), "bars-metal")
            session.do(lambda job: edits.add_support(job, job.parts[-1].id, chosen))
        self.count += 1
        session.do(lambda job: edits.describe_part(job, part.id, name=f"{self.name} {self.count}"))
        self.log.write(f"{self.count} {time.time()}\n")
        self.log.flush()


def main() -> None:
    prepare_platform()
    application = make_application(Settings())
    window = make_window(Settings(window=[900, 600]))
    window.show()
    window.start(warms_up=False)
    worker = Worker(window, sys.argv[1], Path(sys.argv[2]))
    QTimer.singleShot(0, lambda: worker.begin(recovers="--recover" in sys.argv))
    application.exec()


if __name__ == "__main__":
    main()
