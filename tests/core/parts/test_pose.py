"""Poses: turned about the middle, placed, lifted; the lowest point is at the build offset."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts import Pose, rotation_about
from lean_trellis.core.parts.pose import rotation_between, rotation_xyz

ANGLES = st.tuples(*[st.floats(-180, 180)] * 3)
MESH = box((20, 14, 6), corner=(3, -2, 9))


@given(ANGLES, st.floats(0, 40))
def test_the_lowest_point_is_at_the_build_offset_and_the_middle_where_it_is_placed(angles, offset):
    pose = Pose(x=70, y=50, build_offset=offset).turned(rotation_xyz(*angles))
    placed = pose.applied(MESH)
    assert placed.bounds[0, 2] == pytest.approx(offset, abs=1e-9)
    middle = pose.to_plate(MESH, MESH.middle[None])[0]
    assert middle[:2] == pytest.approx([70, 50])
    np.testing.assert_allclose(pose.to_part(MESH, placed.vertices), MESH.vertices, atol=1e-9)


def test_quarter_turns_are_exact_and_counter_clockwise():
    np.testing.assert_array_equal(rotation_about("z", 90) @ [1, 0, 0], [0, 1, 0])
    np.testing.assert_array_equal(rotation_about("x", 90) @ [0, 1, 0], [0, 0, 1])
    np.testing.assert_array_equal(rotation_about("y", 90) @ [0, 0, 1], [1, 0, 0])
    four = Pose()
    for _ in range(4):
        four = four.turned(rotation_about("y", 90))
    assert four == Pose()


@pytest.mark.parametrize("target", [(0, 0, 1), (0, 0, -1), (1, 0, 0), (0.6, 0.0, -0.8)])
def test_the_shortest_turn_takes_one_direction_onto_the_other(target):
    begin = np.array([0.0, 0.0, 1.0])
    turn = rotation_between(begin, np.array(target, np.float64))
    np.testing.assert_allclose(turn @ begin, target, atol=1e-12)
    assert np.linalg.det(turn) == pytest.approx(1)
    angle = np.degrees(np.arccos(np.clip((np.trace(turn) - 1) / 2, -1, 1)))
    assert angle == pytest.approx(np.degrees(np.arccos(np.clip(begin @ np.array(target), -1, 1))), abs=1e-5)
