"""VTK's widget, tamed."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QPaintEvent
from vtkmodules.qt.QVTKRenderWindowInteractor import QVTKRenderWindowInteractor


class Canvas(QVTKRenderWindowInteractor):
    """Asks to be drawn where VTK would draw at once, and so twice."""

    exposed = pyqtSignal()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Ask for a drawing."""
        self.exposed.emit()
