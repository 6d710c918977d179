"""Tips of bars: where each leaves the part, in which direction, and where its shaft begins."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import LAYER, bars_for, request_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.supports.bars.ends.heads import HeadGrid
from lean_trellis.core.supports.bars.ends.tips import Tips, lean_directions
from lean_trellis.core.supports.bars.generate import find_holds
from lean_trellis.core.supports.bars.upright import LEVEL, LayerLean


@pytest.fixture
def leaning():
    return request_for(box((20, 16, 3)), turn=rotation_about("x", 30), lean_limit=35.0)


def tips_of(request, layers=LEVEL) -> Tips:
    p = request.parameters
    grid = HeadGrid.of(p.sides, p.tip_diameter)
    return Tips.of(find_holds(request).generated, p, LAYER, list(request.obstacles), grid, layers)


def test_tips_follow_the_surface_as_far_as_the_lean_limit():
    leaning = lean_directions(np.array([[0, 0, -1.0], [0.6, 0, -0.8], [1.0, 0, -1e-9]]), 30)
    angles = np.degrees(np.arccos(-leaning[:, 2]))
    np.testing.assert_allclose(angles, [0, 30, 30], atol=1e-6)
    np.testing.assert_allclose(np.linalg.norm(leaning, axis=1), 1)
    bars = bars_for(box((30, 20, 3)), turn=rotation_about("y", 20), lean_limit=40)
    axis = bars.centres[:, 5] - bars.centres[:, 4]
    assert np.degrees(np.arccos(axis[:, 2] / np.linalg.norm(axis, axis=1))) == pytest.approx(20, abs=1e-6)


def test_tips_leave_the_surface_along_its_normal_and_are_as_long_as_asked(leaning):
    tips = tips_of(leaning)
    way = tips.bases - tips.necks
    assert np.linalg.norm(way, axis=1) == pytest.approx(np.full(len(way), leaning.parameters.tip_length))
    leans = np.degrees(np.arccos(-way[:, 2] / np.linalg.norm(way, axis=1)))
    on_slope = find_holds(leaning).generated.normals[:, 2] > -0.99
    assert leans[on_slope] == pytest.approx(np.full(int(on_slope.sum()), 30.0), abs=1e-6)


def test_turned_tips_keep_their_heads(leaning):
    tips = tips_of(leaning)
    down = np.repeat([[0.0, 0.0, -1.0]], len(tips.bases), axis=0)
    turned = tips.turned(down, leaning.parameters, list(leaning.obstacles))
    assert turned.heads is tips.heads
    np.testing.assert_allclose(turned.bases[:, :2], tips.necks[:, :2])
    np.testing.assert_allclose(turned.ends, tips.ends)


def test_where_layers_are_tilted_a_tip_that_would_not_hold_itself_goes_straight(leaning):
    tilted = LayerLean((0.0, 0.5**0.5, 0.5**0.5), 50.0)
    tips = tips_of(leaning, tilted)
    way = tips.bases - tips.necks
    assert tilted.allows(way).all()
    assert not tilted.allows(tips_of(leaning).bases - tips_of(leaning).necks).all()
