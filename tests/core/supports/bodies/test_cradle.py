"""Posts of a cradle: no deeper than their seat, clear of the surface round them, and the area they touch."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import shapely
from body_cases import is_closed
from checked_parts import job_of
from manifold3d import Manifold
from panel_requests import request_for

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.bodies.cradle import (
    _CONE,
    _UNEVEN_MM,
    Posts,
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
    areas, places, counts = _contacts(disc([10, 9.8, 10.2, 12]), tops, LEVEL, 0.6)
    assert areas == pytest.approx([np.pi * 0.36 / 2])
    np.testing.assert_allclose(places, [[2.5, 4.0, 10.0], [3.5, 4.0, 9.8]])
    assert counts.tolist() == [2]
    steep, _, _ = _contacts(disc([10, 10, 10, 10], upright=0.5), tops, LEVEL, 0.6)
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
    deep = (seen.levels(tops, _slopes(request, tops)) - seen.heights) * seen.upright
    assert deep.max() <= 0.15 + _UNEVEN_MM + 1e-6
    assert (posts.areas > 0).sum() > 10


def test_a_post_as_thick_at_its_tip_as_below_has_no_cone():
    values = CradleParameters(post_pitch=4, post_tip=1.5, post_diameter=1.5, seat_depth=0.0)
    request = request_for(box((30, 30, 4)), values, offset=10.0)
    assert _cones(request, np.array([[0.0, 0.0, 10.0]]), LEVEL).tolist() == [0.0]


@pytest.mark.parametrize(("depth", "does"), [(0.0, "touches"), (0.3, "goes in"), (-0.2, "floats")])
def test_posts_under_a_flat_ceiling_carry_the_whole_of_their_tip_or_nothing(depth, does):
    values = CradleParameters(post_pitch=5, post_tip=1.2, post_diameter=2, seat_depth=depth)
    cradle = generate_cradle(request_for(box((22, 12, 4)), values, offset=10.0))
    assert (cradle.columns, cradle.rows) == (5, 3)
    assert len(cradle.posts) == 15
    assert {cradle.posts.state(number) for number in range(15)} == {does}
    each = np.pi * 0.6**2 if depth >= 0 else 0.0
    assert cradle.posts.areas == pytest.approx(np.full(15, each), rel=1e-3)
    assert cradle.posts.depths == pytest.approx(np.full(15, depth), abs=1e-4)
    post = np.pi * 10 * 1 - np.pi * (0.8 - (1 + 0.6 + 0.36) / 3 * 0.8) + np.pi * depth
    assert cradle.bodies[1].volume == pytest.approx(post, rel=2e-3)
    assert all(is_closed(body) for body in cradle.bodies)


def test_posts_are_as_tall_as_a_curved_part_asks_and_only_what_reaches_it_counts():
    values = CradleParameters(post_pitch=4, seat_depth=0.25, post_tip=1.0)
    cradle = generate_cradle(request_for(ball(9, subdivisions=5), values, offset=5.0))
    away = np.hypot(*cradle.posts.tops[:, :2].T)
    seats = 14 - np.sqrt(81 - away**2)
    assert cradle.posts.seats == pytest.approx(seats, abs=0.03)
    steep = away > 6
    assert (cradle.posts.areas[~steep] > 0.8 * np.pi * 0.25).all()
    assert (cradle.posts.areas[steep] < 1.05 * np.pi * 0.25 / np.sqrt(1 - (away[steep] / 9) ** 2)).all()
    equal = generate_cradle(request_for(ball(9, subdivisions=5), values.with_value("heights", "equal"), offset=5.0))
    assert np.ptp(equal.posts.tops[:, 2]) == 0
    assert {equal.posts.state(number) for number in range(len(equal.posts))} >= {"floats", "goes in"}


def test_no_post_stands_below_a_protected_surface():
    mesh = box((22, 12, 4))
    protected = np.zeros(len(mesh.faces), np.uint8)
    request = request_for(mesh, CradleParameters(post_pitch=4), offset=8)
    under = np.flatnonzero(request.overhangs.mesh.normals[:, 2] < -0.9)
    protected[under[0]] = 1
    cradle = generate_cradle(request_for(mesh, CradleParameters(post_pitch=4), offset=8, protected=protected))
    plain = generate_cradle(request)
    assert len(cradle.posts) + len(cradle.posts.kept_off) == len(plain.posts)
    assert 0 < len(cradle.posts.kept_off) < len(plain.posts)


def test_posts_beside_a_protected_surface_keep_off_it_and_the_others_stand():
    ceiling = box((30, 20, 4))
    values = CradleParameters(post_pitch=4.0, post_diameter=2.0, post_tip=1.2, seat_depth=0.1)
    request = request_for(ceiling, values, offset=8.0)
    mesh = request.overhangs.mesh
    protected = np.zeros(len(mesh.faces), np.uint8)
    down = np.flatnonzero(mesh.normals[:, 2] < -0.5)
    protected[down[0]] = 1  # one of the two triangles of its underside
    own = replace(request.obstacles[0], protected=protected)
    cradle = generate_cradle(replace(request, obstacles=(own,)))
    whole = generate_cradle(request)
    assert 4 <= len(cradle.posts) < len(whole.posts)
    a, b, c = mesh.vertices[mesh.faces[down[0]]][:, :2]
    triangle = shapely.Polygon([a, b, c])
    away = shapely.distance(triangle, shapely.points(cradle.posts.tops[:, :2]))
    assert away.min() >= 0.6
    assert len(cradle.posts) + len(cradle.posts.kept_off) == len(whole.posts)


@pytest.mark.parametrize(("share", "does"), [(0.25, "touches too little"), (0.35, "goes in")])
def test_a_post_counts_only_with_an_area_that_carries(share, does):
    posts = Posts(np.array([[0.0, 0, 5.1]]), np.array([5.0]), np.array([share * np.pi * 0.6**2]), tip_radius=0.6)
    assert posts.state(0) == does
    assert bool(posts.carries[0]) == (does == "goes in")


@pytest.mark.parametrize(("rows", "is_found"), [(1, True), (2, False)])
def test_one_row_of_posts_is_no_cradle(metal, rows, is_found):
    job = job_of(metal, box((30, 12, 4)), offset=8.0)
    job = edits.add_support(job, "part-1", shipped_sets()["cradle-posts"]).job
    job = edits.change_support(job, job.supports[0].id, "rows", rows).job
    found = [finding for finding in Pipeline().findings(job) if finding.code == "cradle_one_sided"]
    assert [finding.severity for finding in found] == ["stop"] * is_found


@pytest.mark.parametrize(("shift", "is_found"), [(4.0, False), (13.0, True)])
def test_posts_on_one_side_of_what_a_part_weighs_are_no_cradle(metal, shift, is_found):
    """A weight on a slab: its middle of mass lies beyond the last posts where it stands far enough out."""
    slab, weight = to_manifold(box((24, 12, 2))), to_manifold(box((6, 12, 60), corner=(shift + 6, 0, 1)))
    job = job_of(metal, from_manifold(slab + weight), offset=8.0)
    job = edits.add_support(job, "part-1", shipped_sets()["cradle-posts"]).job
    codes = {finding.code for finding in Pipeline().findings(job)}
    assert ("cradle_one_sided" in codes) == is_found
