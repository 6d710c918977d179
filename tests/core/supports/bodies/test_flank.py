"""Bases of flank walls: as wide as the reserve asks, by hand reckoning."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.strength.push import Push
from lean_trellis.core.supports.bodies.flank import base_for


@pytest.mark.parametrize("length", [0.2, 5.0, 60.0])
def test_a_base_holds_its_reserve_about_its_outer_edge(length):
    push = Push(force_n=3.0, per_mm=0.5, bond_mpa=0.8)
    width = base_for(push, 40.0, length, 1.5, 0.1)
    assert push.bond_mpa * length * width**2 / 2 == pytest.approx(1.5 * push.on(length) * 40.0)
    assert width == pytest.approx(np.sqrt(2 * 1.5 * (3.0 + 0.5 * length) * 40 / (0.8 * length)))


def test_it_is_never_narrower_than_twice_the_wall():
    assert base_for(Push(force_n=1e-6, bond_mpa=10.0), 1.0, 100.0, 1.5, 7.0) == 14.0
