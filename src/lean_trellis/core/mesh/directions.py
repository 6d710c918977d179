"""Directions in space."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Floats


def any_across(direction: Floats) -> Floats:
    """(3,): a unit direction square to another one, always the same for the same one."""
    across = np.cross(direction, np.eye(3)[int(np.argmin(np.abs(direction)))])
    result: Floats = across / np.linalg.norm(across)
    return result


def level_frame(normal: tuple[float, float, float]) -> Floats:
    """(3, 3): columns two directions in the layer and its unit normal, right-handed; the identity for level layers.

    On a belt, whose layers are tilted about X, the first direction is X.
    """
    up = np.array(normal)
    if np.allclose(up, [0, 0, 1]):
        return np.eye(3)
    across = np.eye(3)[0] - up[0] * up if abs(up[0]) < 0.9 else any_across(up)
    across /= np.linalg.norm(across)
    return np.column_stack([across, np.cross(up, across), up])
