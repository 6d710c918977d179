"""Plates and zones of machines."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.shop.machine import Zone


def test_a_zone_holds_what_lies_in_it_and_not_its_rim():
    zone = Zone(name="screw", x=10, y=20, width=5, depth=5)
    inside = zone.holds(np.array([[12, 22], [10, 22], [15.1, 22], [12, 26]]))
    assert inside.tolist() == [True, False, False, False]


def test_plates_have_the_sizes_that_are_promised(library):
    assert (library.machine("metal-260").plate.width, library.machine("metal-260").plate.depth) == (260, 220)
    small = library.machine("metal-120")
    assert (small.plate.shape, small.plate.width, small.height) == ("round", 120, 95)
    assert library.machine("belt-260").layer_normal == pytest.approx((0, -np.sqrt(0.5), np.sqrt(0.5)))


def test_a_round_plate_knows_what_lies_on_it(library):
    plate = library.machine("metal-120").plate
    assert plate.holds(np.array([[60, 60], [119, 60], [5, 5], [60, 121]])).tolist() == [
        True,
        True,
        False,
        False,
    ]
    assert plate.excess(np.array([[60.0, 130.0]]))[0] == pytest.approx(10)
