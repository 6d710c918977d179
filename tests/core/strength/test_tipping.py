"""Tipping about the edges of what stands on the plate."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.strength.tipping import Stand, stand_on


def square(side: float, at: tuple[float, float] = (0.0, 0.0)) -> Stand:
    half = side / 2
    corners = np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    stand = stand_on(corners, np.array([at]), np.array([side**2]))
    assert stand is not None
    return stand


def moments_of(stand: Stand, force, at):
    (found,) = stand.moments(force[None], at[None])
    return found


def test_levers_are_areas_times_their_distance_from_each_edge():
    assert square(4.0).levers == pytest.approx(np.full(len(square(4.0).levers), 16 * 2.0))
    moved = square(4.0, (0.5, 0.0))
    worst = int(moved.levers.argmin())
    assert moved.levers[worst] == pytest.approx(16 * 1.5)
    assert moved.middles[worst] == pytest.approx([2.0, 0.0])


def test_a_push_turns_by_its_height_over_the_edge_it_points_to():
    stand = square(10.0)
    moments = moments_of(stand, np.array([0.0, 3.0, 0.0]), np.array([1.0, 1.0, 40.0]))
    back = np.argmax(stand.normals[:, 1])
    assert moments[back] == pytest.approx(120.0)
    assert moments.sum() == pytest.approx(0.0, abs=1e-9)


def test_a_pull_upward_turns_about_the_edge_that_is_farthest_and_a_weight_holds():
    stand = square(10.0)
    left, right = int(stand.normals[:, 0].argmin()), int(stand.normals[:, 0].argmax())
    pull = moments_of(stand, np.array([0.0, 0.0, 2.0]), np.array([9.0, 0.0, 30.0]))
    assert pull[left] == pytest.approx(2 * 14)
    assert pull[right] == pytest.approx(-2 * 4)
    assert moments_of(stand, np.array([0.0, 0.0, -2.0]), np.zeros(3)) == pytest.approx(-10.0)


def test_what_lies_in_a_line_holds_nothing_and_nothing_is_nothing():
    line = stand_on(np.array([[0, 0], [1, 0], [2, 0.0]]), np.array([[1.0, 0.0]]), np.ones(1))
    assert line is not None
    assert line.levers.tolist() == [0.0, 0.0]
    assert moments_of(line, np.array([0.0, 1.0, 0.0]), np.array([1.0, 0.0, 5.0])).max() == pytest.approx(5.0)
    point = stand_on(np.array([[3.0, 4.0]]), np.array([[3.0, 4.0]]), np.ones(1))
    assert point is not None
    assert point.levers.max() == 0
    assert stand_on(np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0)) is None
