"""Sharp corners of the convex outline round a layer."""

from __future__ import annotations

import numpy as np
import shapely

from lean_trellis.core.arrays import Floats

_SHARP_DEG, _ROUNDED_MM = 60.0, 0.5


def has_corner(hull: Floats) -> bool:
    """Whether the outline round a layer (k, 2), convex, turns sharply anywhere."""
    return len(hull) < 4 or bool((_turns(hull) >= _SHARP_DEG).any()) or len(sharp_corners(hull)) > 0


def sharp_corners(hull: Floats) -> Floats:
    """(m, 2): where a convex outline (k, 2) turns by 60° or more within half a millimetre."""
    if len(hull) < 4:
        return np.asarray(hull, np.float64)
    ring = shapely.get_coordinates(shapely.simplify(shapely.Polygon(hull), _ROUNDED_MM))
    result: Floats = ring[:-1][_turns(ring) >= _SHARP_DEG]
    return result


def _turns(ring: Floats) -> Floats:
    """(k,): by how many degrees a ring (k + 1, 2), whose first corner comes again at its end, turns at each corner."""
    ways = np.diff(ring, axis=0)
    angles = np.degrees(np.arctan2(ways[:, 1], ways[:, 0]))
    result: Floats = np.abs((angles - np.roll(angles, 1) + 180) % 360 - 180)
    return result
