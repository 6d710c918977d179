"""Heads: the grid of their places, and level and tilted ones."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.supports.bars.heads import HeadGrid, level_heads


@pytest.mark.parametrize(
    ("sides", "diameter", "corners", "rings"), [(8, 0.3, 8, 1), (8, 0.55, 8, 2), (12, 4.0, 24, 5), (7, 0.7, 7, 2)]
)
def test_a_grid_is_as_fine_as_its_head_is_wide(sides, diameter, corners, rings):
    grid = HeadGrid.of(sides, diameter)
    assert (grid.corners, grid.rings, len(grid.steps)) == (corners, rings, corners * rings + 1)
    assert np.hypot(*grid.circle[:: corners // sides].T) == pytest.approx(np.ones(sides))
    between = np.hypot(*grid.circle.T).min()  # places on the sides of the polygon, not beyond it
    assert np.cos(np.pi / sides) - 1e-9 <= between <= 1
    np.testing.assert_allclose(grid.steps[-1], 0)


@pytest.mark.parametrize(("sides", "diameter"), [(8, 0.3), (12, 4.0), (7, 0.7)])
def test_triangles_cover_a_head_once_and_have_its_edges(sides, diameter):
    grid = HeadGrid.of(sides, diameter)
    corners = grid.steps[grid.triangles]
    one, other = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    areas = (one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0]) / 2
    assert areas.min() > 0
    assert areas.sum() == pytest.approx(sides / 2 * np.sin(2 * np.pi / sides))
    sides_of = {frozenset(pair) for t in grid.triangles.tolist() for pair in (t[:2], t[1:], t[::2])}
    assert sides_of == {frozenset(edge) for edge in grid.edges.tolist()}


def test_level_heads_are_level_and_tilted_ones_tell_their_tilt():
    grid = HeadGrid.of(8, 0.5)
    heads = level_heads(np.array([3.0, 4.0]), np.array([0.25, 0.25]), grid)
    assert heads.slopes() == pytest.approx([0, 0])
    assert heads.middles.tolist() == [3, 4]
    tilted = level_heads(np.zeros(1), np.array([0.5]), grid)
    tilted.tops[0] = 0.5 * grid.steps @ [0.3, -0.2]
    np.testing.assert_allclose(tilted.tilts(grid), [[0.3, -0.2]], atol=1e-9)
    assert tilted.slopes()[0] == pytest.approx(np.hypot(0.3, 0.2), rel=0.1)
