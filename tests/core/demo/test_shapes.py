"""Shapes that demo parts are made of."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.demo.shapes import arch_places, lofted, rounded, tube, united


def circle(radius: float, z: float, sides: int = 64) -> np.ndarray:
    turn = np.linspace(0, 2 * np.pi, sides, endpoint=False)
    return np.column_stack([radius * np.cos(turn), radius * np.sin(turn), np.full(sides, z)])


def test_a_loft_through_rings_is_a_closed_outward_solid():
    cone = lofted(np.array([circle(4, 0), circle(3, 2), circle(1, 6)]))
    frustums = sum(np.pi * h / 3 * (a * a + a * b + b * b) for a, b, h in ((4, 3, 2), (3, 1, 4)))
    assert cone.volume() == pytest.approx(frustums, rel=0.01)


@pytest.mark.parametrize("direction", [(1, 0, 0), (0, 0, 1), (0.6, 0.0, 0.8)])
def test_a_straight_tube_is_a_cylinder_between_half_balls(direction):
    path = np.linspace(0, 20, 5)[:, None] * np.array(direction)
    made = tube(path, np.full(5, 3.0), 64)
    assert made.volume() == pytest.approx(np.pi * 9 * 20 + 4 / 3 * np.pi * 27, rel=0.01)
    assert len(united([made, made]).decompose()) == 1


def test_an_arch_is_as_wide_and_deep_as_half_an_ellipse_and_its_corners_are_round():
    places = arch_places(101)
    assert np.ptp(places[:, 0]) == pytest.approx(52)
    assert np.ptp(places[:, 1]) == pytest.approx(40)
    assert rounded(10, 6, 2).area() == pytest.approx(60 - (4 - np.pi) * 4, rel=0.01)
