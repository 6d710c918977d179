"""Thin places and steps in area over all layers of a part."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers import LayerPlan, layered
from lean_trellis.core.layers.thin_places import layer_faults, strip_width, thin_of
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.mesh.topology import build_topology


def faults(mesh, least=0.4, *, stands=True):
    return layer_faults(layered(build_topology(mesh), mesh.vertices, LayerPlan(least)), least, stands_on_plate=stands)


def block_with_fin(width):
    fin = to_manifold(box((width, 12, 6), corner=(4, 2, 4)))
    return from_manifold(to_manifold(box((10, 16, 4.01))) + fin)


@pytest.mark.parametrize(("width", "is_thin"), [(0.25, True), (0.38, True), (0.42, False), (1.0, False)])
def test_a_fin_is_thin_below_the_least_width_and_not_above_it(width, is_thin):
    found = faults(block_with_fin(width))
    assert bool(found.thin) is is_thin
    if is_thin:
        (place,) = found.thin
        assert place.width_mm == pytest.approx(width, rel=0.02)
        assert place.area_mm2 == pytest.approx(12 * width, rel=0.03)
        assert place.low_mm == pytest.approx(4.2, abs=0.21)
        assert place.high_mm == pytest.approx(9.8, abs=0.21)
        assert 4 - 1e-6 <= place.at_mm[0] <= 4 + width + 1e-6


def test_two_fins_are_two_places_the_thinner_first():
    solid = to_manifold(box((10, 16, 4)))
    for x, width in ((2, 0.3), (7, 0.2)):
        solid += to_manifold(box((width, 12, 6), corner=(x, 2, 3)))
    assert [place.width_mm for place in faults(from_manifold(solid)).thin] == pytest.approx([0.2, 0.3], rel=0.03)


def test_corners_balls_and_short_tips_are_not_thin():
    assert faults(box((5, 5, 5))).thin == ()
    assert faults(ball(5, subdivisions=4)).thin == ()
    assert faults(cylinder(0.15, 8)).thin == (), "a pin is no wall: it is no longer than it is wide"


def test_an_edge_that_tapers_off_counts_with_half_the_least_width():
    """A wedge 12 long whose section is a triangle of 10 x 2: its tip is thinner than 0.4."""
    wedge = box((10, 12, 2))
    points = np.array(wedge.vertices)
    points[:, 1] = np.where(wedge.vertices[:, 0] > 5, 6.0, points[:, 1])
    found = faults(type(wedge)(points * [1, 0.2, 4], wedge.faces))
    assert len(found.thin) == 1
    assert found.thin[0].width_mm == pytest.approx(0.2, rel=0.25)


@pytest.mark.parametrize(
    ("area", "outline", "width"), [(12.0, 16.0, 2.0), (4.0, 8.0, 2.0), (1.0, 3.0, 1.0), (3.0, 61.0, 0.1)]
)
def test_a_strip_is_as_wide_as_the_rectangle_of_its_area_and_outline(area, outline, width):
    assert strip_width(area, outline) == pytest.approx(width, rel=0.02)


def test_nothing_is_thin_where_nothing_is():
    assert thin_of([], 0.4).is_empty()


def test_the_greatest_step_in_area_is_found_and_the_plate_is_none():
    table = from_manifold(
        to_manifold(box((4, 4, 10), corner=(8, 8, 0))) + to_manifold(box((20, 20, 3), corner=(0, 0, 9)))
    )
    jump = faults(table).jump
    assert (jump.before_mm2, jump.after_mm2) == pytest.approx((16, 400))
    assert jump.height_mm == pytest.approx(9.0, abs=0.41)
    flat = box((20, 20, 3))
    assert faults(flat).jump.after_mm2 - faults(flat).jump.before_mm2 == pytest.approx(0)
    lifted = faults(flat, stands=False).jump
    assert (lifted.before_mm2, lifted.after_mm2) == pytest.approx((0, 400))
