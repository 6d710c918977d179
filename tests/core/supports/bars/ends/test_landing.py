"""Where a bar may stand on a part, and the lower end with which it does."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import LAYER, MIDDLE, request_for

from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.supports.bars.ends.heads import HeadGrid
from lean_trellis.core.supports.bars.ends.landing import (
    STEEPEST_LANDING,
    Stands,
    least_shaft,
    lower_heads,
    lower_stretch,
    rise_of,
    upright_of,
)


@pytest.mark.parametrize(("angle", "contact"), [(0, "bite"), (25, "bite"), (0, "gap"), (25, "gap")])
def test_a_lower_end_goes_in_or_stays_off_by_its_depth_or_gap_along_the_normal(angle, contact):
    request = request_for(box((30, 30, 3)), lift=0.0, turn=rotation_about("x", angle), contact=contact, gap=0.2)
    p = request.parameters
    normal = np.array([0.0, -np.sin(np.radians(angle)), np.cos(np.radians(angle))])
    top = request.overhangs.mesh.corners[request.overhangs.mesh.normals @ normal > 0.999][0, 0]
    z = top[2] - ((np.array([MIDDLE, MIDDLE]) - top[:2]) @ normal[:2]) / normal[2]
    bottoms, normals = np.array([[MIDDLE, MIDDLE, z], [5.0, 5.0, 0.0]]), np.array([normal, normal])
    grid = HeadGrid.of(p.sides, p.tip_diameter)
    stands = Stands.of_bars(bottoms, normals, np.full(2, 9.0), p)
    heads = lower_heads(stands, np.array([True, False]), p, LAYER, request.obstacles, grid)
    away = {"bite": -p.bite_depth, "gap": 0.2}[contact]
    assert heads.middles == pytest.approx([z + away / np.cos(np.radians(angle)), 0.0], abs=2e-3)
    rise = np.tan(np.radians(angle)) * p.tip_diameter / 2
    assert rise_of(heads) == pytest.approx([rise, 0.0], abs=0.02)


@pytest.mark.parametrize(("aside", "fits"), [(1.75, False), (2.25, True)])
def test_the_flank_of_a_lower_end_keeps_the_gap_to_a_wall_beside_too(aside, fits):
    """From a head of 0.6 the flank widens to a shaft of 2 mm: with a gap of 0.2 it takes that much beside it."""
    wall = to_manifold(box((30, 30, 3))) + to_manifold(box((3, 30, 3), corner=(15 + aside, 0, 3)))
    request = request_for(from_manifold(wall), lift=0.0, contact="gap", gap=0.2, tip_diameter=1.2, tip_length=1.0,
                          shaft_diameter=4.0, foot_diameter=4.0, part_clearance=0.2)  # fmt: skip
    p, top = request.parameters, np.array([[MIDDLE, MIDDLE, 3.0]])
    grid = HeadGrid.of(p.sides, p.tip_diameter)
    stands = Stands.of_bars(top, np.array([[0.0, 0.0, 1.0]]), np.full(1, 9.0), p)
    heads = lower_heads(stands, np.array([True]), p, LAYER, request.obstacles, grid)
    assert heads.fits.tolist() == [fits]


def test_a_shaft_comes_near_where_it_narrows_or_the_slope_beside_does():
    p = request_for(box((5, 5, 5)), tip_length=2.0, shaft_diameter=1.2, part_clearance=0.4).parameters
    flat, steep = np.ones(2), np.full(2, 0.5)
    assert lower_stretch(p, np.array([20.0, 2.0]), flat) == pytest.approx([2.0, 1.0])
    assert lower_stretch(p, np.array([20.0, 2.0]), steep) == pytest.approx([2.0, 2.0])


def test_slopes_that_are_stood_on_are_no_steeper_than_60_degrees_and_a_shaft_has_some_height():
    assert pytest.approx(0.5) == STEEPEST_LANDING
    assert upright_of(np.array([(0, 0, 1.0), (0.8, 0, 0.6), (1.0, 0, 0.1)])).tolist() == pytest.approx([1.0, 0.6, 0.5])
    assert least_shaft(0.05) == 0.2
    assert least_shaft(0.3) == 0.6
