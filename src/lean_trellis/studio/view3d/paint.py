"""Colours of faces by their angles and regions, and dots at places."""

from __future__ import annotations

import numpy as np
from vtkmodules.vtkFiltersSources import vtkSphereSource
from vtkmodules.vtkRenderingCore import vtkActor, vtkPolyDataMapper

from lean_trellis.studio.shown import ShownRegions
from lean_trellis.studio.theme import Tokens, rgb
from lean_trellis.studio.view3d.actors import as_bytes, mixed_bytes


def dot(place: tuple[float, float, float], radius: float, colour: str) -> vtkActor:
    """A ball of a colour round a place, all in mm; it cannot be selected."""
    ball = vtkSphereSource()
    ball.SetCenter(*place)
    ball.SetRadius(radius)
    ball.SetThetaResolution(16)
    ball.SetPhiResolution(12)
    mapper = vtkPolyDataMapper()
    mapper.SetInputConnection(ball.GetOutputPort())
    actor = vtkActor()
    actor.SetMapper(mapper)
    actor.GetProperty().SetColor(*rgb(colour))
    actor.GetProperty().SetLighting(False)
    actor.PickableOff()
    return actor


def paint_angles(colours: np.ndarray, regions: ShownRegions, angles: tuple[float, float], tokens: Tokens) -> None:
    """Colour faces by surface angle alone, while the two angles are being dragged: quick, regions follow."""
    critical, watch = angles
    angle = np.where(regions.on_plate, 180.0, regions.angles)
    colours[(angle < watch) & (angle >= critical)] = as_bytes(tokens.straw)
    inside = angle < critical
    share = np.clip(angle[inside] / max(critical, 1e-6), 0, 1)[:, None]
    plum, ochre = as_bytes(tokens.plum), as_bytes(tokens.ochre)
    colours[inside] = np.round(plum + (ochre - plum) * share).astype(np.uint8)


def paint_regions(
    colours: np.ndarray,
    regions: ShownRegions,
    selected: frozenset[int],
    angles: tuple[float, float],
    tokens: Tokens,
) -> None:
    """Colour faces by surface angle: straw where doubtful, ochre to plum below the critical angle, ivy if selected."""
    critical, watch = angles
    doubtful = (
        (regions.angles < watch) & (regions.region_of_face < 0) & ~regions.on_plate & (regions.angles >= critical)
    )
    colours[doubtful] = as_bytes(tokens.straw)
    inside = regions.region_of_face >= 0
    share = np.clip(regions.angles[inside] / max(critical, 1e-6), 0, 1)[:, None]
    plum, ochre = as_bytes(tokens.plum), as_bytes(tokens.ochre)
    colours[inside] = np.round(plum + (ochre - plum) * share).astype(np.uint8)
    left_out = [region.id for region in regions.regions if region.left_out]
    if left_out:
        colours[np.isin(regions.region_of_face, left_out)] = mixed_bytes(ochre, as_bytes(tokens.pale), 0.7)
    if selected:
        chosen = np.isin(regions.region_of_face, list(selected))
        colours[chosen] = mixed_bytes(as_bytes(tokens.ivy), as_bytes(tokens.pale), 0.1)
