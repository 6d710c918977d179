"""Supports: families over shared steps, target -> support points -> ways -> solids. No jobs, no checks.

`common` is what all share; each family is one object, entered when this package is imported.
"""

from lean_trellis.core.supports.bars.generate import BarRequest, generate_bars
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.bars.spec import BARS
from lean_trellis.core.supports.bars.struts import Bars
from lean_trellis.core.supports.bodies.spec import BLOCK, CRADLE, FLANK, RAFT, TAG
from lean_trellis.core.supports.common.support import RegionPick, Support
from lean_trellis.core.supports.panels.spec import LATTICE, WALL

__all__ = [
    "BARS",
    "BLOCK",
    "CRADLE",
    "FLANK",
    "LATTICE",
    "RAFT",
    "TAG",
    "WALL",
    "BarParameters",
    "BarRequest",
    "Bars",
    "RegionPick",
    "Support",
    "generate_bars",
]
