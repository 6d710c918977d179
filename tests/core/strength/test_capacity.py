"""What a strut can bear, against closed forms of round bars and of squares."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.strength.capacity import (
    SWAYING,
    bending_stresses,
    column_loads,
    euler_loads,
    second_moments,
    slenderness,
)

RADII = np.array([0.5, 1.5])


def test_the_second_moment_of_a_square_is_its_side_to_the_fourth_over_twelve():
    sides = RADII * np.sqrt(2)
    assert second_moments(RADII, 4) == pytest.approx(sides**4 / 12)


def test_that_of_many_corners_is_that_of_a_round_bar():
    assert second_moments(RADII, 720) == pytest.approx(np.pi * RADII**4 / 4, rel=1e-4)


def test_buckling_is_eulers_for_hinged_ends_and_never_without_length():
    inertia = np.full(2, np.pi * 1.5**4 / 4)
    loads = euler_loads(inertia, np.array([30.0, 0.0]), 2000.0)
    assert loads[0] == pytest.approx(np.pi**2 * 2000 * inertia[0] / 900)
    assert loads[1] == np.inf
    assert euler_loads(inertia, np.full(2, 30.0), 2000.0, SWAYING) == pytest.approx(loads[0] / 4)


@pytest.mark.parametrize(("length", "is_crushed"), [(10.0, True), (60.0, False)])
def test_a_column_never_bears_more_than_crushing(length, is_crushed):
    inertia, area = np.array([np.pi / 4]), np.array([np.pi])
    (bears,) = column_loads(inertia, area, np.array([length]), SWAYING, 2000.0, 10.0)
    assert bool(bears == pytest.approx(10 * np.pi)) == is_crushed
    assert bears <= 10 * np.pi + 1e-9


def test_bending_is_moment_times_radius_over_the_second_moment():
    stress = bending_stresses(np.array([4.0]), np.array([20.0]), np.array([1.0]), 720)
    assert stress == pytest.approx([4 * 20 / (np.pi / 4)], rel=1e-4)


def test_slenderness_of_a_round_bar_is_four_lengths_over_its_diameter():
    assert slenderness(np.array([30.0]), np.array([1.5]), 720) == pytest.approx([4 * 30 / 3], rel=1e-4)
