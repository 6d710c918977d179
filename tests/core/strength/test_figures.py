"""Figures of contacts that are not bars: what uses most of the column below."""

from __future__ import annotations

import numpy as np
import pytest
from gripped import AREA, RADIUS, tips

from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.figures import BENDING, BUCKLING, CONTACT, figures_of_grips
from lean_trellis.core.strength.grip_loads import GripLoads

MOMENT = np.pi * RADIUS**4 / 4
ACTIONS = Actions("vat", 16.0, 900.0, 5.0, source="made up")


def loads_of(*, pulls=0.0, pushes=0.0, sides=0.0, used=0.0) -> GripLoads:
    return GripLoads(*(np.full(2, value) for value in (pulls, pushes, sides, used, 7.5)))


def test_each_way_to_fail_is_the_textbooks():
    grips = tips([[0, 0, 5.0], [3, 0, 5.0]], length=20.0)
    euler = np.pi**2 * 900 * MOMENT / (2 * 20.0) ** 2
    # A section of that area and moment as a rectangle: half its thickness is √(3 I / A).
    half = np.sqrt(3 * MOMENT / AREA)
    for loads, by, used in (
        (loads_of(used=0.7), CONTACT, 0.7),
        (loads_of(pushes=0.5), BUCKLING, 0.5 / euler),
        (loads_of(sides=0.02), BENDING, 0.02 * 20 * half / MOMENT / 16),
    ):
        found = figures_of_grips(grips, loads, ACTIONS)
        assert found.used_by.tolist() == [by, by]
        assert found.used == pytest.approx(used)


def test_it_says_where_and_by_what():
    grips = tips([[0, 0, 5.0], [3, 0, 5.0]], length=20.0)
    loads = GripLoads(
        np.array([1.0, 0.2]), np.array([0.3, 0.4]), np.zeros(2), np.array([0.1, 0.9]), np.array([6.0, 8.0])
    )
    found = figures_of_grips(grips, loads, ACTIONS)
    assert found.worst.tolist() == [1, 0]
    assert found.loads_n.tolist() == [1.0, 0.4]
    assert found.levels.tolist() == [6.0, 8.0]
    assert found.slenderness == pytest.approx(2 * 20 / (RADIUS / 2))  # K = 2: free at the top
    assert found.contact_mm2 == pytest.approx(AREA)
    assert found.source == "made up"
