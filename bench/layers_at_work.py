"""A window with one large part: how soon its first layer is shown, and how long stepping takes.

`python bench/layers_at_work.py` prints both in seconds: until the first layer is there, and the longest of many steps.
"""

from __future__ import annotations

import json
import os
import sys
import time
from functools import partial

from PyQt6.QtWidgets import QApplication

from lean_trellis.core.formats.body import Body
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import wavy_torus
from lean_trellis.studio.display import prepare_platform, virtual_display
from lean_trellis.studio.settings import Settings
from lean_trellis.studio.shown_layers import ShownLayers

_STEPS = 120


def main() -> None:
    """Open the window, ask for layers, step through them."""
    prepare_platform()
    with virtual_display():
        from lean_trellis.studio.pictures import settle, wait_until
        from lean_trellis.studio.start import make_application, make_window
        from lean_trellis.studio.stations.layers import LayersStation

        settings = Settings(window=[1280, 800])
        application = make_application(settings)
        window = make_window(settings)
        window.show()
        window.start()
        mesh = wavy_torus()
        session = window.session
        session.do(lambda job: edits.add_bodies(job, [Body("torus", mesh, len(mesh.faces))]))
        settle(window)
        begin = time.perf_counter()
        window.bench.open("layers")
        layers = session.layers
        wait_until(lambda: layers.number is not None and layers.shown(layers.number) is not None)
        first = time.perf_counter() - begin
        wait_until(lambda: layers.profile() is not None, patience_s=300)
        station = window.bench.of(LayersStation)
        middle, steps = layers.number or 0, []
        for number in range(middle - _STEPS // 2, middle + _STEPS // 2):
            layers.show(number)
            wait_until(partial(_is_there, layers, number))
            begin = time.perf_counter()
            station.go_to(number)
            QApplication.processEvents()
            steps.append(time.perf_counter() - begin)
        sys.stdout.write(json.dumps({"first_s": first, "steps_s": steps}) + "\n")
        sys.stdout.flush()
        assert application is not None
        os._exit(0)  # whatever the worker still does is of no use any more


def _is_there(layers: ShownLayers, number: int) -> bool:
    return layers.shown(number) is not None


if __name__ == "__main__":
    main()
