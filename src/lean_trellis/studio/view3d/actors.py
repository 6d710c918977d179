"""Arrays into VTK actors."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from vtkmodules.util.numpy_support import numpy_to_vtk, numpy_to_vtkIdTypeArray
from vtkmodules.vtkCommonCore import vtkPoints
from vtkmodules.vtkCommonDataModel import vtkCellArray, vtkPolyData
from vtkmodules.vtkCommonMath import vtkMatrix4x4
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper
from vtkmodules.vtkRenderingFreeType import vtkVectorText

from lean_trellis.core.arrays import Floats, Ints
from lean_trellis.core.shop import Plate
from lean_trellis.studio.theme import Tokens, mixed, rgb


def poly_data(vertices: Floats, faces: Ints) -> vtkPolyData:
    """Triangles as VTK data; the arrays are copied."""
    points = vtkPoints()
    points.SetData(numpy_to_vtk(np.ascontiguousarray(vertices, np.float32), deep=True))
    cells = vtkCellArray()
    offsets = np.arange(0, 3 * len(faces) + 1, 3, dtype=np.int64)
    cells.SetData(
        numpy_to_vtkIdTypeArray(offsets, deep=True),
        numpy_to_vtkIdTypeArray(np.ascontiguousarray(faces, np.int64).reshape(-1), deep=True),
    )
    data = vtkPolyData()
    data.SetPoints(points)
    data.SetPolys(cells)
    return data


def line_data(starts: Floats, stops: Floats) -> vtkPolyData:
    """Separate line pieces as VTK data."""
    points = vtkPoints()
    ends = np.stack([starts, stops], axis=1).reshape(-1, 3)
    points.SetData(numpy_to_vtk(np.ascontiguousarray(ends, np.float32), deep=True))
    cells = vtkCellArray()
    count = len(starts)
    cells.SetData(
        numpy_to_vtkIdTypeArray(np.arange(0, 2 * count + 1, 2, dtype=np.int64), deep=True),
        numpy_to_vtkIdTypeArray(np.arange(2 * count, dtype=np.int64), deep=True),
    )
    data = vtkPolyData()
    data.SetPoints(points)
    data.SetLines(cells)
    return data


def colour_faces(data: vtkPolyData, colours: np.ndarray) -> None:
    """(m, 3) uint8 colours, one a face."""
    array = numpy_to_vtk(np.ascontiguousarray(colours, np.uint8), deep=True)
    array.SetName("colours")
    data.GetCellData().SetScalars(array)
    data.Modified()


def mesh_actor(data: vtkPolyData, colour: str) -> vtkActor:
    """A matt actor with flat shading: the true facets are shown."""
    mapper = vtkPolyDataMapper()
    mapper.SetInputData(data)
    mapper.SetScalarModeToUseCellData()
    actor = vtkActor()
    actor.SetMapper(mapper)
    look = actor.GetProperty()
    look.SetColor(*rgb(colour))
    look.SetInterpolationToFlat()
    look.SetAmbient(0.34)
    look.SetDiffuse(0.72)
    look.SetSpecular(0.0)
    return actor


def line_actor(data: vtkPolyData, colour: str, width: float) -> vtkActor:
    """Lines in one colour, unlit."""
    actor = mesh_actor(data, colour)
    actor.GetProperty().SetLineWidth(width)
    actor.GetProperty().SetLighting(False)
    actor.PickableOff()
    return actor


def drawn_over(actor: vtkActor) -> None:
    """Draw lines on a surface a little nearer than they are, so that the surface does not hide them."""
    mapper = actor.GetMapper()
    mapper.SetResolveCoincidentTopologyToPolygonOffset()
    mapper.SetRelativeCoincidentTopologyLineOffsetParameters(-1.0, -3.0)


def matrix_of(rotation: Floats, shift: Floats) -> vtkMatrix4x4:
    """A VTK matrix from a rotation and a shift."""
    matrix = vtkMatrix4x4()
    for i in range(3):
        for j in range(3):
            matrix.SetElement(i, j, float(rotation[i, j]))
        matrix.SetElement(i, 3, float(shift[i]))
    return matrix


@dataclass(frozen=True)
class PlateActors:
    """What shows the plate; the grid is seen from above only, so that it crosses no underside."""

    always: tuple[vtkActor, ...]
    grid: tuple[vtkActor, ...]


def plate_actors(plate: Plate, tokens: Tokens) -> PlateActors:
    """The plate as a thin slab just below zero, a grid of 10 mm and a heavier one of 50 mm."""
    if plate.shape == "round":
        turn = np.linspace(0, 2 * np.pi, 97)[:-1]
        rim = np.array(plate.middle) + plate.width / 2 * np.column_stack([np.cos(turn), np.sin(turn)])
    else:
        rim = np.array([[0, 0], [plate.width, 0], [plate.width, plate.depth], [0, plate.depth]], dtype=np.float64)
    middle = np.append(np.array(plate.middle), -0.05)
    vertices = np.vstack([np.column_stack([rim, np.full(len(rim), -0.05)]), middle])
    here = np.arange(len(rim))
    faces = np.column_stack([here, np.roll(here, -1), np.full(len(rim), len(rim))])
    ground = mesh_actor(poly_data(vertices, faces), tokens.plate)
    ground.GetProperty().LightingOff()  # it is flat: light would take a third of each frame, and change nothing
    ground.GetProperty().SetBackfaceCulling(True)  # seen from below the plate must not hide the parts
    ground.PickableOff()
    # Paler instead of translucent: one translucent line costs a second pass over the whole picture.
    fine = line_actor(_grid(plate, 10), mixed(tokens.plate_line, tokens.plate, 0.45), 1)
    coarse = line_actor(_grid(plate, 50), mixed(tokens.muted, tokens.plate, 0.45), 1)
    ring = np.column_stack([rim, np.zeros(len(rim))])
    edge = line_actor(line_data(ring, np.roll(ring, -1, axis=0)), tokens.ink, 1.5)
    return PlateActors((ground, edge, _front_name(plate, tokens)), (fine, coarse))


def _front_name(plate: Plate, tokens: Tokens) -> vtkActor:
    """The word FRONT at the plate's front edge, as faces: a picture would make each frame a third slower."""
    letters = vtkVectorText()
    letters.SetText("FRONT")
    letters.Update()
    name = mesh_actor(letters.GetOutput(), tokens.muted)
    name.GetProperty().SetLighting(False)
    name.PickableOff()
    size = plate.width / 50
    low, high, *_ = letters.GetOutput().GetBounds()
    name.SetScale(size, size, 1)
    name.SetPosition(plate.width / 2 - (low + high) / 2 * size, -1.6 * size, 0)
    return name


def _grid(plate: Plate, step: float) -> vtkPolyData:
    starts, stops = [], []
    for axis, (length, across) in enumerate(((plate.width, plate.depth), (plate.depth, plate.width))):
        for place in np.arange(step, length, step):
            low, high = 0.0, across
            if plate.shape == "round":
                half = np.sqrt(max(0.0, (length / 2) ** 2 - (place - length / 2) ** 2))
                low, high = across / 2 - half, across / 2 + half
            a, b = (place, low, 0.0), (place, high, 0.0)
            starts.append(a if axis == 0 else (a[1], a[0], 0.0))
            stops.append(b if axis == 0 else (b[1], b[0], 0.0))
    return line_data(np.array(starts), np.array(stops))


def as_bytes(colour: str) -> np.ndarray:
    """(3,) of 0 to 255."""
    return np.round(np.array(rgb(colour)) * 255)


def mixed_bytes(one: np.ndarray, other: np.ndarray, share: float) -> np.ndarray:
    """One colour with a share of another, 0 to 255."""
    return np.round(one * (1 - share) + other * share)
