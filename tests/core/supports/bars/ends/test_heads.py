"""Heads: the grid of their places, and level and tilted ones."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import request_for

from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.supports import generate_bars
from lean_trellis.core.supports.bars.ends.heads import HeadGrid, level_heads
from lean_trellis.core.supports.bars.struts import LOWER_END, ON_PART, TIP_END


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


@pytest.mark.parametrize("is_below", [True, False])
@pytest.mark.parametrize(("sides", "diameter"), [(8, 0.3), (12, 4.0), (7, 0.7)])
def test_triangles_cover_a_head_once_and_have_its_edges(sides, diameter, is_below):
    grid = HeadGrid.of(sides, diameter)
    triangles = grid.triangles(is_below=is_below)
    corners = grid.steps[triangles if is_below else triangles[:, ::-1]]
    one, other = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    areas = (one[:, 0] * other[:, 1] - one[:, 1] * other[:, 0]) / 2
    assert areas.min() > 0
    assert areas.sum() == pytest.approx(sides / 2 * np.sin(2 * np.pi / sides))
    sides_of = {frozenset(pair) for t in triangles.tolist() for pair in (t[:2], t[1:], t[::2])}
    assert sides_of == {frozenset(edge) for edge in grid.edges(is_below=is_below).tolist()}


def test_level_heads_are_level_and_tilted_ones_tell_their_tilt():
    grid = HeadGrid.of(8, 0.5)
    heads = level_heads(np.array([3.0, 4.0]), np.array([0.25, 0.25]), grid)
    assert heads.slopes() == pytest.approx([0, 0])
    assert heads.middles.tolist() == [3, 4]
    tilted = level_heads(np.zeros(1), np.array([0.5]), grid)
    tilted.tops[0] = 0.5 * grid.steps @ [0.3, -0.2]
    np.testing.assert_allclose(tilted.tilts(grid), [[0.3, -0.2]], atol=1e-9)
    assert tilted.slopes()[0] == pytest.approx(np.hypot(0.3, 0.2), rel=0.1)


def test_heads_are_measured_as_the_triangles_that_bars_are_made_of():
    """Both ends of bars from a slope down to a floor: every triangle of their grids is one of the solids."""
    wedge = to_manifold(box((30, 30, 3))) + to_manifold(box((3, 30, 20), corner=(0, 0, 3)))
    wedge += to_manifold(box((30, 30, 3))).rotate((0, 8, 0)).translate((0, 0, 20))
    request = request_for(from_manifold(wedge), lift=0.0, turn=rotation_about("x", 7), contact="gap", gap=0.2,
                          tip_diameter=2.0, landing="anywhere", shaft_diameter=1.5)  # fmt: skip
    bars = generate_bars(request)
    lands = np.flatnonzero(bars.landings == ON_PART)
    assert len(lands) > 3
    made = {frozenset(map(tuple, triangle)) for triangle in bars.bar_mesh.corners.round(5).tolist()}
    grid = bars.ends.grid
    for heads, ring, is_below in ((bars.ends.upper, TIP_END, True), (bars.ends.lower, LOWER_END, False)):
        at = bars.centres[lands, ring, :2][:, None] + bars.radii[lands, ring][:, None, None] * grid.steps
        spots = np.concatenate([at, heads.tops[lands][..., None]], axis=2)
        measured = spots[:, grid.triangles(is_below=is_below)].reshape(-1, 3, 3).round(5).tolist()
        assert {frozenset(map(tuple, triangle)) for triangle in measured} <= made
