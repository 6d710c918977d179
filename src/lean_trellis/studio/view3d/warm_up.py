"""Letting the driver make what it needs for parts, before the first of them is shown."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QObject, QTimer
from vtkmodules.vtkRenderingCore import vtkRenderer

from lean_trellis.core.arrays import Floats
from lean_trellis.core.mesh.primitives import ball
from lean_trellis.studio.view3d.actors import colour_faces, mesh_actor, poly_data


class WarmUp(QObject):
    """Draws a ball over the plate, one frame each time the window is idle, and takes it away again.

    The driver makes some of its programs, and its buffers, only when a part of the usual size is really seen: so the
    ball has as many faces as are shown of a part.
    """

    def __init__(self, renderer: vtkRenderer, draw: Callable[[int], None], parent: QObject) -> None:
        super().__init__(parent)
        self._renderer, self._draw = renderer, draw
        self._samples: list[int] = []
        self._idle = QTimer(self)
        self._idle.timeout.connect(self._draw_next)
        self.is_done = True

    def begin(self, low: Floats, high: Floats, samples: list[int]) -> None:
        """Draw it in the middle of a box, once with each number of samples a pixel."""
        shape = ball(float((high - low).min()) / 2, subdivisions=5)
        data = poly_data(shape.vertices + (low + high) / 2, shape.faces)
        colour_faces(data, np.full((len(shape.faces), 3), 120, np.uint8))
        self._actor, self._samples, self.is_done = mesh_actor(data, "#777777"), list(samples), False
        self._idle.start()

    def _draw_next(self) -> None:
        self._renderer.AddActor(self._actor)
        self._draw(self._samples.pop(0))
        self._renderer.RemoveActor(self._actor)
        self.is_done = not self._samples
        if self.is_done:
            self._idle.stop()
