"""VTK's widget, tamed."""

from __future__ import annotations

import vtkmodules.qt
import vtkmodules.vtkInteractionStyle  # these three register VTK's factories
import vtkmodules.vtkRenderingFreeType
import vtkmodules.vtkRenderingOpenGL2
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QPaintEvent

vtkmodules.qt.PyQtImpl = "PyQt6"

from vtkmodules.qt.QVTKRenderWindowInteractor import QVTKRenderWindowInteractor  # noqa: E402 - after the choice of Qt


class Canvas(QVTKRenderWindowInteractor):
    """Asks to be drawn where VTK would draw at once, and so twice."""

    exposed = pyqtSignal()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Ask for a drawing."""
        self.exposed.emit()
