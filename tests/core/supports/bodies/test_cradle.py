"""Posts of a cradle: no deeper than their seat, clear of the surface round them, and the area they touch."""

from __future__ import annotations

import numpy as np
import pytest
from manifold3d import Manifold
from panel_requests import request_for

from lean_trellis.core.mesh.primitives import ball, box, from_manifold
from lean_trellis.core.supports.bodies.cradle import (
    _CONE,
    _UNEVEN_MM,
    _cones,
    _contacts,
    _Disc,
    _disc_above,
    _no_deeper,
    _slopes,
    generate_cradle,
)  # fmt: skip
from lean_trellis.core.supports.bodies.parameters import CradleParameters

STEPS = np.array([[-0.5, 0.0], [0.5, 0.0], [0.0, -0.5], [0.0, 0.5]])
LEVEL = np.zeros((1, 2))


def disc(heights, upright=1.0) -> _Disc:
    return _Disc(STEPS, np.array([heights], float), np.full((1, 4), upright))


@pytest.mark.parametrize("seat", [0.0, 0.2])
def test_a_top_is_let_down_by_what_it_would_go_in_too_deep(seat):
    tops = np.array([[0.0, 0.0, 10.0 + seat]])
    kept = _no_deeper(disc([10, 10, 10, 10]), tops, LEVEL, seat)
    np.testing.assert_allclose(kept, tops)
    lower = _no_deeper(disc([10, 9.4, 10, 11]), tops, LEVEL, seat)
    np.testing.assert_allclose(lower, tops - [[0, 0, 0.6 - _UNEVEN_MM]])


def test_a_top_that_follows_the_slope_is_not_let_down():
    tops = np.array([[0.0, 0.0, 10.0]])
    slope = np.array([[1.0, 0.0]])
    np.testing.assert_allclose(_no_deeper(disc([9.5, 10.5, 10, 10]), tops, slope, 0.0), tops)
    assert _no_deeper(disc([9.5, 10.5, 10, 10]), tops, LEVEL, 0.0)[0, 2] < 10


def test_only_surface_at_or_below_the_top_is_touched_and_slopes_have_more_area():
    tops = np.array([[3.0, 4.0, 10.0]])
    areas, places = _contacts(disc([10, 9.8, 10.2, 12]), tops, LEVEL, 0.6)
    assert areas == pytest.approx([np.pi * 0.36 / 2])
    np.testing.assert_allclose(places, [[2.5, 4.0, 10.0], [3.5, 4.0, 9.8]])
    steep, _ = _contacts(disc([10, 10, 10, 10], upright=0.5), tops, LEVEL, 0.6)
    assert steep == pytest.approx([2 * np.pi * 0.36])


def test_a_cone_is_as_long_as_usual_under_a_ceiling_and_longer_where_a_side_comes_down():
    values = CradleParameters(post_pitch=4, post_tip=0.8, post_diameter=2.0, seat_depth=0.0)
    flat = request_for(box((30, 30, 4)), values, offset=10.0)
    tops = np.array([[0.0, 0.0, 10.0]])
    assert _cones(flat, tops, LEVEL) == pytest.approx([_CONE * 1.2])
    leg = Manifold.cube((30, 30, 4), True).translate((0, 0, 12)) + Manifold.cube((5, 30, 3)).translate((0.8, -15, 8))
    stepped = request_for(from_manifold(leg), values, offset=8.0)
    (longer,) = _cones(stepped, tops, LEVEL)
    clear = 2.0 * 0.6 / (0.8 - 0.4)  # the side of the cone passes under the leg's edge, 2 mm lower
    assert 0.8 * clear < longer <= clear


def test_posts_of_a_real_cradle_keep_to_their_seat_on_a_ball():
    values = CradleParameters(post_pitch=3, post_tip=0.8, post_diameter=1.6, seat_depth=0.15)
    request = request_for(ball(8, subdivisions=5), values, offset=6.0)
    posts = generate_cradle(request).posts
    tops = posts.tops
    seen = _disc_above(request, tops[:, :2], values.post_tip / 2)
    deep = seen.levels(tops, _slopes(request, tops)) - seen.heights
    assert deep.max() <= 0.15 + _UNEVEN_MM + 1e-6
    assert (posts.areas > 0).sum() > 10


def test_a_post_as_thick_at_its_tip_as_below_has_no_cone():
    values = CradleParameters(post_pitch=4, post_tip=1.5, post_diameter=1.5, seat_depth=0.0)
    request = request_for(box((30, 30, 4)), values, offset=10.0)
    assert _cones(request, np.array([[0.0, 0.0, 10.0]]), LEVEL).tolist() == [0.0]
