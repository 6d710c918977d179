"""Directions across one another, frames of layers."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.directions import any_across, level_frame


@pytest.mark.parametrize("direction", [(0, 0, 1), (1, 0, 0), (0.6, -0.8, 0), (0.48, 0.6, 0.64)])
def test_what_is_across_is_square_of_unit_length_and_the_same_again(direction):
    across = any_across(np.array(direction))
    assert across @ np.array(direction) == pytest.approx(0)
    assert np.linalg.norm(across) == pytest.approx(1)
    np.testing.assert_array_equal(across, any_across(np.array(direction)))


def test_the_frame_of_level_layers_is_the_plates():
    np.testing.assert_array_equal(level_frame((0.0, 0.0, 1.0)), np.eye(3))


@pytest.mark.parametrize("normal", [(0.0, -np.sqrt(0.5), np.sqrt(0.5)), (0.6, 0.0, 0.8), (1.0, 0.0, 0.0)])
def test_frames_are_right_handed_with_the_normal_last(normal):
    frame = level_frame(normal)
    np.testing.assert_allclose(frame.T @ frame, np.eye(3), atol=1e-12)
    assert np.linalg.det(frame) == pytest.approx(1)
    np.testing.assert_allclose(frame[:, 2], normal)


def test_on_a_belt_the_first_direction_is_x():
    np.testing.assert_allclose(level_frame((0.0, -np.sqrt(0.5), np.sqrt(0.5)))[:, 0], [1, 0, 0])
