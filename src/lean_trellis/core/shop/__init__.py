"""Machines, materials and parameter sets: models, the library that ships as commented TOML, a shop's own beside it.

Every constant of a material carries its source or the word "assumed". No jobs, no geometry.
"""

from lean_trellis.core.shop.library import Library, load_library, shipped_library
from lean_trellis.core.shop.machine import Machine, Plate, Process
from lean_trellis.core.shop.material import Constant, Detection, Layers, Material
from lean_trellis.core.shop.own import full_library, keep_own, own_folder, own_problems, read_library, take_in, toml_of

__all__ = [
    "Constant",
    "Detection",
    "Layers",
    "Library",
    "Machine",
    "Material",
    "Plate",
    "Process",
    "full_library",
    "keep_own",
    "load_library",
    "own_folder",
    "own_problems",
    "read_library",
    "shipped_library",
    "take_in",
    "toml_of",
]
