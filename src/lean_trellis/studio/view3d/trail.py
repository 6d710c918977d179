"""What is drawn over the 3D view while a gesture goes on: a band, a lasso, a brush with its trail."""

from __future__ import annotations

import numpy as np
from vtkmodules.util.numpy_support import numpy_to_vtk
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor2D, vtkPolyDataMapper2D, vtkRenderer

from lean_trellis.core.arrays import Floats
from lean_trellis.studio.theme import rgb

_CIRCLE = 32


class Trail:
    """Lines in pixels from the lower left corner, in one colour."""

    def __init__(self, renderer: vtkRenderer, colour: str) -> None:
        self._data = vtkPolyData()
        mapper = vtkPolyDataMapper2D()
        mapper.SetInputData(self._data)
        self._actor = vtkActor2D()
        self._actor.SetMapper(mapper)
        self._actor.GetProperty().SetLineWidth(2)
        self._actor.GetProperty().SetColor(*rgb(colour))
        self._actor.VisibilityOff()
        renderer.AddViewProp(self._actor)

    def show(self, lines: list[Floats]) -> None:
        """Show polylines of (k, 2) pixels; none of them hides the trail."""
        lines = [line for line in lines if len(line) > 1]
        self._actor.SetVisibility(bool(lines))
        if not lines:
            return
        points, cells, first = vtkPoints(), vtkCellArray(), 0
        flat = np.concatenate([np.column_stack([line, np.zeros(len(line))]) for line in lines])
        points.SetData(numpy_to_vtk(np.ascontiguousarray(flat), deep=True))
        for line in lines:
            cells.InsertNextCell(len(line))
            for place in range(first, first + len(line)):
                cells.InsertCellPoint(place)
            first += len(line)
        self._data.SetPoints(points)
        self._data.SetLines(cells)
        self._data.Modified()


def circle(middle: tuple[float, float], radius: float) -> Floats:
    """A closed circle of (k, 2) pixels."""
    turn = np.linspace(0, 2 * np.pi, _CIRCLE + 1)
    return np.array(middle) + radius * np.column_stack([np.cos(turn), np.sin(turn)])
