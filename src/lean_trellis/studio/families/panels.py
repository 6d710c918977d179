"""Lattices and walls along a line in the window."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.parts.part import Part
from lean_trellis.core.supports import LATTICE, WALL
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import Support
from lean_trellis.studio.families.panel_sketches import PLAN_KEYS, LatticePlan, PanelSide
from lean_trellis.studio.families.wall_tools import LatticeTools, WallTools
from lean_trellis.studio.family_tools import no_grips
from lean_trellis.studio.gestures import Pull
from lean_trellis.studio.looks import FamilyLook, Sketching, register_look
from lean_trellis.studio.underside.map_sheet import add_walls


def _sketch(on: Sketching) -> None:
    drawing = LatticePlan if on.key in PLAN_KEYS else PanelSide
    drawing(on.painter, on.area, on.tokens, on.values, on.key).draw()


def _path_points(support: Support, made: Structure, part: Part) -> list[Pull]:
    """Every point of the paths that were drawn."""
    points: list[Pull] = []
    for line in support.hand.paths:
        for x, y, z in part.pose.to_plate(part.mesh, np.array(line.places)).tolist():
            points.append(Pull(support.id, len(points), "path", (x, y, z)))
    return points


LATTICE_LOOK = FamilyLook(
    spec=LATTICE,
    colour=lambda tokens: tokens.verdigris,
    sketch=_sketch,
    on_map=add_walls,
    grips=no_grips,
    tools=LatticeTools,
)
WALL_LOOK = FamilyLook(
    spec=WALL,
    colour=lambda tokens: tokens.heather,
    sketch=_sketch,
    on_map=add_walls,
    grips=_path_points,
    tools=WallTools,
)
register_look(LATTICE_LOOK)
register_look(WALL_LOOK)
