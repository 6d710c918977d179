"""Coupons as solids: sound, and each step as it says."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.overhang import detect
from lean_trellis.core.strength.coupons import shapes

MADE = {
    "angles": (shapes.angle_ladder, (25.0, 40.0, 55.0)), "bridges": (shapes.bridge_ladder, (1.0, 2.5, 6.0)),
    "ledges": (shapes.ledge_ladder, (0.3, 1.0, 2.0)), "tips": (shapes.tip_row, (0.3, 0.9)),
    "cantilever": (shapes.cantilevers, (1.0, 3.0)), "peel": (shapes.peel_pads, (9.0, 20.0)),
}  # fmt: skip


@pytest.mark.parametrize("key", MADE)
def test_every_coupon_is_one_sound_solid_that_stands_on_the_plate(key):
    make, sizes = MADE[key]
    mesh = make(sizes)
    health = examine_mesh(mesh)
    assert health.watertight
    assert health.shells == 1
    assert mesh.bounds[0, 2] == pytest.approx(0)
    assert make(sizes[:1]).volume < mesh.volume


def found(mesh, angle):
    return detect(build_topology(mesh), mesh, critical_angle=angle, watch_angle=angle)


@pytest.mark.parametrize("angle", [20.0, 37.0, 60.0])
def test_a_slab_of_the_ladder_leans_by_its_angle(angle):
    mesh = shapes.angle_ladder((angle,))
    assert found(mesh, angle - 0.5).critical_area_mm2 == pytest.approx(0, abs=0.01)
    area = shapes.LEAN_LENGTH * shapes.STEP_WIDTH
    assert found(mesh, angle + 0.5).critical_area_mm2 == pytest.approx(area, rel=0.001)


def test_ceilings_and_ledges_are_as_wide_as_they_say():
    bridge = found(shapes.bridge_ladder((4.0,)), 45)
    assert bridge.critical_area_mm2 == pytest.approx(4.0 * 6.0)
    ledge = found(shapes.ledge_ladder((1.5,)), 45)
    assert ledge.critical_area_mm2 == pytest.approx(1.5 * shapes.STEP_WIDTH)


def test_a_ledge_reaches_out_of_a_wall_of_its_own_and_nothing_else_does():
    mesh = shapes.ledge_ladder((1.5, 4.0))
    solid = to_manifold(mesh)
    walls, ledges = (solid.slice(shapes.FOOT + height).area() for height in (2.0, 5.5))
    assert walls == pytest.approx(2 * 3.0 * shapes.STEP_WIDTH)
    assert ledges == pytest.approx(walls + (1.5 + 4.0) * shapes.STEP_WIDTH)


def test_the_neck_of_a_tip_and_the_stalk_of_a_pad_are_the_thinnest_places():
    for mesh, diameter in ((shapes.tip_row((0.8,)), 0.8), (shapes.peel_pads((12.0,)), shapes.STALK_DIAMETER)):
        solid = to_manifold(mesh)
        least = min(solid.slice(height).area() for height in np.arange(shapes.FOOT + 1.05, mesh.bounds[1, 2], 0.1))
        assert least == pytest.approx(np.pi * diameter**2 / 4, rel=0.01)


def test_a_block_of_the_scale_has_a_hole_of_half_its_size():
    mesh = shapes.scale_blocks((10.0, 20.0))
    assert mesh.volume == pytest.approx((100 - 25) * 5 + (400 - 100) * 10)
    assert examine_mesh(mesh).shells == 2
