"""Finding what will not hold by itself: regions of faces, low edges, low points, islands.

Works on a mesh on the plate. No supports, no jobs.
"""

from lean_trellis.core.overhang.bridging import SelfBridging
from lean_trellis.core.overhang.detect import Overhangs, detect
from lean_trellis.core.overhang.islands import Island, find_islands
from lean_trellis.core.overhang.region import Region

__all__ = ["Island", "Overhangs", "Region", "SelfBridging", "detect", "find_islands"]
