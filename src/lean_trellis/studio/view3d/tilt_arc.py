"""The material's pose range as an arc beside the part, with where the part stands now."""

from __future__ import annotations

from typing import Any

import numpy as np
from vtkmodules.vtkRenderingCore import vtkActor, vtkRenderer

from lean_trellis.core.arrays import Floats
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.tilt import Tilt
from lean_trellis.studio.theme import Tokens
from lean_trellis.studio.view3d.actors import line_actor, line_data


class TiltArc:
    """Lines in the upright plane of the part's tilt: quarter circle, range, needle."""

    def __init__(self, renderer: vtkRenderer) -> None:
        self._renderer = renderer
        self._actors: list[vtkActor] = []
        self._of: Any = None

    def show(self, part: Part | None, tilt: Tilt | None, allowed: tuple[float, float], tokens: Tokens) -> None:
        """Show the arc of a part, or nothing."""
        wanted = None if part is None or tilt is None else (part.mesh.key, part.pose, allowed, tokens)
        if wanted == self._of:
            return
        self._of = wanted
        for actor in self._actors:
            self._renderer.RemoveActor(actor)
        self._actors = [] if part is None or tilt is None else _arc_actors(part, tilt, allowed, tokens)
        for actor in self._actors:
            self._renderer.AddActor(actor)


def _arc_actors(part: Part, tilt: Tilt, allowed: tuple[float, float], tokens: Tokens) -> list[vtkActor]:
    if tilt.of == "none":
        return []
    level = tilt.rise * [1, 1, 0]
    length = float(np.linalg.norm(level))
    level = level / length if length > 1e-6 else np.array([1.0, 0.0, 0.0])
    low, high = part.bounds()
    radius = 0.6 * float(np.linalg.norm(high - low))
    # Beside the part, so that neither hides the other: the plane is moved sideways by half the part's width.
    sideways = np.cross([0.0, 0.0, 1.0], level)
    reach = float((np.abs(sideways) * (high - low)).sum()) / 2 + 2.0
    towards_eye = -sideways if sideways[1] > 0 or (sideways[1] == 0 and sideways[0] < 0) else sideways
    corner = np.append((low[:2] + high[:2]) / 2, low[2]) + towards_eye * reach - level * radius / 2

    def at(degrees: Floats, share: float = 1.0) -> Floats:
        angles = np.radians(degrees)[:, None]
        return corner + share * radius * (np.cos(angles) * level + np.sin(angles) * np.array([0.0, 0.0, 1.0]))

    def arc(first: float, last: float, share: float, colour: str, width: float) -> vtkActor:
        points = at(np.linspace(first, last, 46), share)
        return line_actor(line_data(points[:-1], points[1:]), colour, width)

    inside = allowed[0] - 0.05 <= tilt.angle_deg <= allowed[1] + 0.05
    ends = at(np.array([*allowed]))
    spokes = line_actor(line_data(np.tile(corner, (2, 1)), ends), tokens.ivy, 1.5)
    needle = line_actor(
        line_data(corner[None], at(np.array([tilt.angle_deg]), 1.08)), tokens.ink if inside else tokens.caution, 4
    )
    rest = line_actor(line_data(corner[None], at(np.zeros(1))), tokens.muted, 1.5)
    return [arc(0, 90, 1.0, tokens.muted, 1.5), arc(*allowed, 1.0, tokens.ivy, 5), spokes, rest, needle]
