"""Machines, materials and parameter sets: models, and the library that ships as commented TOML.

Every constant of a material carries its source or the word "assumed". No jobs, no geometry.
"""

from lean_trellis.core.shop.library import Library, load_library, shipped_library
from lean_trellis.core.shop.machine import Machine, Plate, Process
from lean_trellis.core.shop.material import Constant, Detection, Layers, Material

__all__ = [
    "Constant",
    "Detection",
    "Layers",
    "Library",
    "Machine",
    "Material",
    "Plate",
    "Process",
    "load_library",
    "shipped_library",
]
