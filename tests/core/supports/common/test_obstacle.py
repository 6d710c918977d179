"""The ground and its zones."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.supports.common.obstacle import Ground


def test_the_ground_ends_at_the_plate_round_or_not_but_not_along_a_belt(library):
    places = np.array([[60.0, 60], [0.4, 60], [118, 60], [60, 900]])
    flat, belt = Ground(library.machine("metal-120")), Ground(library.machine("belt-260"))
    assert flat.holds(places, 1.0).tolist() == [True, False, True, False]
    assert flat.is_beyond(places).tolist() == [False, False, False, True]
    corner = np.array([[2.0, 2.0]])
    assert not flat.holds(corner, 0.5)[0], "the corner of the square round a round plate"
    far = np.array([[130.0, 5000.0], [259.5, 10.0]])
    assert belt.holds(far, 1.0).tolist() == [True, False]


def test_nothing_stands_in_a_zone_nor_nearer_to_it_than_its_foot(library):
    ground = Ground(library.machine("metal-260"))
    feet = np.array([[5.0, 5], [10.8, 5], [11.2, 5]])
    assert ground.holds(feet, 1.0).tolist() == [False, False, True]
