"""All that the structures of one support follow from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Generic, TypeVar

import numpy as np

from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.supports.floors import Shape
from lean_trellis.core.supports.obstacle import Ground, Obstacle
from lean_trellis.core.supports.parameters import FamilyParameters
from lean_trellis.core.supports.support import HandWork

P = TypeVar("P", bound=FamilyParameters)


@dataclass(frozen=True, eq=False)
class Request(Generic[P]):
    """What is asked for, for which regions, and what stands in the way.

    `chosen` are places in `overhangs.regions`; `obstacles` every part that could be met, their own first. `line_mm` is
    the width of one scan line.
    """

    topology: Topology
    overhangs: Overhangs
    chosen: tuple[int, ...]
    parameters: P
    layer_height: float
    obstacles: tuple[Obstacle, ...]
    ground: Ground | None = None
    protected: np.ndarray | None = None
    """(m,): 1 for faces of the own part that nothing may touch, 2 for those that are touched only where it must be."""
    hand: HandWork = field(default_factory=HandWork)
    line_mm: float = 0.1
    around: Shape | None = None
    """What walls make room for, as seen from above."""


def line_width(constants: Mapping[str, Constant]) -> float:
    """The width of one scan line or path, mm: what a sheet is built with; where none is told, the thinnest wall."""
    for key in ("hatch_distance", "path_width", "least_wall"):
        if key in constants:
            return constants[key].value
    return 0.1
