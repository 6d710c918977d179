"""A part: its mesh in its own coordinates, its pose on the plate, its owner and order.

A part never drops by itself: its build offset is part of the pose, and the height follows from it.
"""

from lean_trellis.core.parts.part import Part, copied
from lean_trellis.core.parts.pose import Pose, rotation_about

__all__ = ["Part", "Pose", "copied", "rotation_about"]
