"""Supports: one module a family over shared steps: target -> hold points -> route -> solids.

A bar is kept as a strut (end points, radii, contact, foot); meshes are made from struts. No jobs, no checks.
"""

from lean_trellis.core.supports.bar_parameters import BarParameters
from lean_trellis.core.supports.bars import BarRequest, generate_bars
from lean_trellis.core.supports.struts import Bars
from lean_trellis.core.supports.support import RegionPick, Support

__all__ = ["BarParameters", "BarRequest", "Bars", "RegionPick", "Support", "generate_bars"]
