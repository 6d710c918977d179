"""A part: its mesh in its own coordinates, its pose on the plate, its owner and order.

A part never drops by itself: its build offset is part of the pose, and the height follows from it.
"""

from lean_trellis.core.parts.origin import Origin
from lean_trellis.core.parts.part import Part, copied, with_nominal, with_size
from lean_trellis.core.parts.pose import Pose, rotation_about
from lean_trellis.core.parts.size import Size, Stage

__all__ = ["Origin", "Part", "Pose", "Size", "Stage", "copied", "rotation_about", "with_nominal", "with_size"]
