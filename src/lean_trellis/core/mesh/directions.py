"""Directions in space."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats


def any_across(direction: Floats) -> Floats:
    """(3,): a unit direction square to another one, always the same for the same one."""
    across = np.cross(direction, np.eye(3)[int(np.argmin(np.abs(direction)))])
    result: Floats = across / np.linalg.norm(across)
    return result
