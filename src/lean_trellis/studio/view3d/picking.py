"""What lies under a place of the picture, and where places lie on it."""

from __future__ import annotations

from contextlib import nullcontext

import numpy as np
from PyQt6.QtCore import QPoint, QPointF
from PyQt6.QtWidgets import QWidget
from vtkmodules.vtkRenderingCore import vtkCellPicker, vtkRenderer

from lean_trellis.core.arrays import Floats
from lean_trellis.studio.gestures import Pick
from lean_trellis.studio.view3d.camera import Eye
from lean_trellis.studio.view3d.scene import Scene

_FOR_SURFACES = ("click", "brush")


class PickingView(QWidget):
    """The part of the 3D view that finds places."""

    canvas: QWidget
    renderer: vtkRenderer
    scene: Scene
    eye: Eye
    gesture: str
    brush_mm: float
    _picker: vtkCellPicker

    def _display_point(self, at: QPointF) -> tuple[float, float]:
        ratio = self.canvas.devicePixelRatioF()
        return at.x() * ratio, (self.canvas.height() - at.y() - 1) * ratio

    def pick_at(self, at: QPointF | QPoint) -> Pick:
        """What is under a point of the canvas."""
        x, y = self._display_point(QPointF(at))
        # A tool that asks for a surface sees through the bars before it.
        with self.scene.bars_out_of_the_way() if self.gesture in _FOR_SURFACES else nullcontext():
            if not self._picker.Pick(x, y, 0, self.renderer):
                return Pick()
        actor, cell = self._picker.GetActor(), self._picker.GetCellId()
        x, y, z = self._picker.GetPickPosition()
        place = (float(x), float(y), float(z))
        part_id = self.scene.part_of(actor)
        if part_id:
            return Pick(part=part_id, face=self.scene.source_face(part_id, cell), place=place)
        support, bar = self.scene.bar_of(actor, cell)
        return Pick(support=support, bar=bar, place=place) if support else Pick()

    def _ray(self, at: QPointF) -> tuple[Floats, Floats]:
        x, y = self._display_point(at)
        ends = []
        for depth in (0.0, 1.0):
            self.renderer.SetDisplayPoint(x, y, depth)
            self.renderer.DisplayToWorld()
            world = np.array(self.renderer.GetWorldPoint())
            ends.append(world[:3] / world[3])
        return ends[0], ends[1] - ends[0]

    def on_level(self, at: QPointF, z: float) -> Floats | None:
        """Where the ray under a point meets the level z; None when it runs beside it."""
        origin, direction = self._ray(at)
        if abs(direction[2]) < 1e-9 * np.linalg.norm(direction):
            return None
        share = (z - origin[2]) / direction[2]
        result: Floats = origin + share * direction
        return result if share > 0 else None

    def _brush_pixels(self, at: QPointF) -> float:
        """The brush's radius on the picture, where the pointer is."""
        place = self.pick_at(at).place
        depth = self.eye.distance if place is None else float(np.linalg.norm(np.array(place) - self.eye_place()))
        half = np.tan(np.radians(self.renderer.GetActiveCamera().GetViewAngle() / 2))
        height = self.canvas.height() * self.canvas.devicePixelRatioF()
        return float(self.brush_mm / 2 / max(depth * half, 1e-6) * height / 2)

    def eye_place(self) -> Floats:
        """(3,): where it is looked from, on the plate's frame."""
        return np.array(self.renderer.GetActiveCamera().GetPosition())

    def projection(self) -> tuple[float, ...]:
        """16 numbers, row by row: from places of the plate's frame to the picture, -1 to 1 both ways, times depth."""
        aspect = self.canvas.width() / max(self.canvas.height(), 1)
        matrix = self.renderer.GetActiveCamera().GetCompositeProjectionTransformMatrix(aspect, -1, 1)
        return tuple(matrix.GetElement(i, j) for i in range(4) for j in range(4))
