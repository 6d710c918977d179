"""How long paths take, held against closed forms and a plan made move by move."""

from __future__ import annotations

import math

import numpy as np
import pytest
from machine_readers import Planner

from lean_trellis.core.layers.motion import Motion
from lean_trellis.core.layers.paths import Kind, Paths
from lean_trellis.core.layers.ways import LayerWays


def paths_of(*ways):
    return Paths.of_ways(
        LayerWays.of_rings([np.array(way, float) for way in ways], np.zeros(len(ways))), Kind.FILL, 0.4
    )


def motion(**changes):
    return Motion(
        **{"speeds": (60.0,) * 6, "travel_speed": 100.0, "acceleration": 1500.0, "corner_speed": 8.0} | changes
    )


def test_a_long_line_is_a_trapezoid_and_a_short_one_a_triangle_of_speed():
    seconds = motion().seconds(paths_of([[0, 0], [30, 0]], [[0, 0], [1, 0]]))
    assert seconds[0] == pytest.approx(30 / 60 + 60 / 1500)
    assert seconds[1] == pytest.approx(2 * math.sqrt(1 / 1500))


def test_without_acceleration_speeds_are_constant_and_each_path_takes_its_start():
    plain = motion(acceleration=0.0, start_s=0.1)
    assert plain.seconds(paths_of([[0, 0], [30, 0], [30, 30]])).tolist() == [pytest.approx(1.1)]
    assert plain.travels(np.array([50.0])).tolist() == [0.5]


def test_straight_on_there_is_no_stop_and_a_turn_back_nearly_is_one():
    straight, whole = motion().seconds(paths_of([[0, 0], [10, 0], [30, 0]], [[0, 0], [30, 0]]))
    assert straight == pytest.approx(whole)
    back = motion(corner_speed=0.001).seconds(paths_of([[0, 0], [30, 0], [0, 0]]))[0]
    assert back == pytest.approx(2 * whole, rel=1e-3)


def test_ways_between_paths_are_from_rest_to_rest_and_draw_the_filament_back_where_they_are_long():
    travel = motion(draw_back_s=0.05, draw_back_beyond=2.0).travels(np.array([0.0, 1.0, 60.0]))
    np.testing.assert_allclose(travel, [0, 2 * math.sqrt(1 / 1500), 60 / 100 + 100 / 1500 + 0.05])


def test_crooked_ways_take_what_a_plan_made_move_by_move_says():
    random = np.random.default_rng(4)
    ways = [random.normal(size=(random.integers(2, 30), 2)).cumsum(axis=0) * random.uniform(0.1, 9) for _ in range(60)]
    for way, seconds in zip(ways, motion().seconds(paths_of(*ways)), strict=True):
        planner = Planner()
        planner.acceleration, planner.corner = 1500.0, 8.0
        for dx, dy in np.diff(way, axis=0):
            planner.move(dx, dy, 60.0)
        assert seconds == pytest.approx(planner.rest(), rel=1e-9)
