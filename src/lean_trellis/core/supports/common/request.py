"""All that the structures of one support follow from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Generic, TypeVar

import numpy as np
from shapely import union_all

from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology
from lean_trellis.core.overhang.detect import Overhangs
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.supports.common.floors import Shape
from lean_trellis.core.supports.common.obstacle import Ground, Obstacle
from lean_trellis.core.supports.common.parameters import FamilyParameters
from lean_trellis.core.supports.common.structure import Structure
from lean_trellis.core.supports.common.support import HandWork

P = TypeVar("P", bound=FamilyParameters)


@dataclass(frozen=True, eq=False)
class Carried:
    """A part that stands on a support: its regions, and what it covers as seen from above."""

    overhangs: Overhangs
    shadow: Shape


@dataclass(frozen=True, eq=False)
class Request(Generic[P]):
    """The wanted supports, their regions, and what stands in the way.

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
    constants: Mapping[str, Constant] = field(default_factory=dict)
    body: Mesh | None = None
    """The shape of its own that a support may have."""
    followed: tuple[Shape, ...] = ()
    """The shadows of the supports that it follows from."""
    others: tuple[Structure, ...] = ()
    """The structures of supports of the part that it keeps clear of."""
    number: int = 0
    """The number of the part in its build, from 1, where the parameters show it."""
    carried: tuple[Carried, ...] = ()
    """The parts that stand on it, where it is what others stand on; its own first."""

    @property
    def around(self) -> Shape | None:
        """What it keeps clear of, as seen from above."""
        return union_all(list(self.followed)) if self.followed else None


def line_width(constants: Mapping[str, Constant]) -> float:
    """The width of one scan line or path, mm: what a sheet is built with; without one, the thinnest wall."""
    for key in ("hatch_distance", "path_width", "least_wall"):
        if key in constants:
            return constants[key].value
    return 0.1
