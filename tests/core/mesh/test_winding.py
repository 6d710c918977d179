"""Inside or outside by the winding number."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.mesh.primitives import ball
from lean_trellis.core.mesh.winding import contains_point


def test_winding_tells_inside_from_outside():
    corners = ball(5, subdivisions=2).corners
    assert contains_point(corners, np.array([1.0, 1, 1]))
    assert not contains_point(corners, np.array([6.0, 0, 0]))
