"""Plates and zones of machines."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.shop.machine import Zone


def test_a_zone_holds_what_lies_in_it_and_not_its_rim():
    zone = Zone(name="screw", x=10, y=20, width=5, depth=5)
    inside = zone.holds(np.array([[12, 22], [10, 22], [15.1, 22], [12, 26]]))
    assert inside.tolist() == [True, False, False, False]
