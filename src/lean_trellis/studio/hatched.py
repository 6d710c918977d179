"""Hatch lines on protected and selected faces, derived beside the window."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.arrays import Floats, Longs
from lean_trellis.core.derive.key import Key, token
from lean_trellis.core.derive.node import Node, Reader
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh.hatching import hatch_lines
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF
from lean_trellis.core.parts.part import Part
from lean_trellis.core.progress import Watch
from lean_trellis.studio.selection import PickedFaces

_AROUND_MM, _BELOW_MM = 1.6, 1.2
_PICKED_MM = 0.6
_WAYS = {KEEP_OFF: (1.0, 1.0, 0.7), AVOID: (1.0, -1.0, 0.7)}
_UPRIGHT = np.array([0.0, 1.0, 0.0])
_LIFT = 2e-4
"""How far lines lie above their faces, as a share of the part's size."""


@dataclass(frozen=True, eq=False)
class Hatch:
    """Protected faces as lines, by level.

    `around` (n, 2, 3) in the part's coordinates, just above its surface; `below` (n, 2, 2) in plan, of those that look
    down.
    """

    around: dict[int, Floats]
    below: dict[int, Floats]


def _hatch(reader: Reader[Hatch]) -> Hatch:
    part = reader.subject
    marks = part.marks.protected
    if marks is None:
        return Hatch({}, {})
    mesh: Mesh = part.mesh
    lift = _LIFT * float(np.linalg.norm(mesh.bounds[1] - mesh.bounds[0]))
    raised = Mesh(mesh.vertices + lift * mesh.vertex_normals, mesh.faces)
    placed = part.pose.applied(mesh)
    down = placed.normals[:, 2] < 0
    around, below = {}, {}
    for level, (x, y, z) in _WAYS.items():
        faces = marks.faces(level)
        around[level] = hatch_lines(raised, faces, _AROUND_MM, np.array([x, y, z]))
        below[level] = hatch_lines(placed, faces[down[faces]], _BELOW_MM, np.array([x, y, 0.0]))[:, :, :2]
    return Hatch(around, below)


HATCH: Node[Hatch] = Node("hatch", "part", _hatch, ("part.mesh", "part.pose", "part.marks.protected"), is_local=True)


@dataclass(frozen=True, eq=False)
class HatchPicked:
    """The selected faces of a part that look down, as lines in plan."""

    part: Part
    faces: Longs

    def answer(self, pipeline: Pipeline, watch: Watch) -> Floats:
        """(n, 2, 2): the lines."""
        watch.at(0.2, "drawing selected faces")
        placed = pipeline.placed(self.part)
        faces = self.faces[placed.normals[self.faces, 2] < 0]
        return hatch_lines(placed, faces, _PICKED_MM, _UPRIGHT)[:, :, :2]


def selected_key(part: Part, selected: PickedFaces) -> Key:
    """What the lines of selected faces follow from."""
    return Key("selected faces", (part.mesh.key, token(part.pose), selected))
