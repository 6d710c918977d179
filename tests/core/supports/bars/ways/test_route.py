"""Ways of bars and what they stand on."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from bar_requests import LAYER, bars_for, distances_from, open_shafts, random_part, request_for
from hypothesis import given, settings
from hypothesis import strategies as st

from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.overhang import detect
from lean_trellis.core.parts import Pose
from lean_trellis.core.parts.marks import KEEP_OFF
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports import generate_bars
from lean_trellis.core.supports.bars.struts import BLOCKED, LOWER_END, OFF_PLATE, ON_PART, ON_PLATE, TOO_NEAR, TOO_STEEP
from lean_trellis.core.supports.common.obstacle import Ground, Obstacle


@pytest.mark.parametrize(("landing", "expected"), [("plate_only", 0), ("plate_first", 1), ("anywhere", 1)])
def test_landing_is_kept(shelf, landing, expected):
    bars = bars_for(shelf, lift=0.0, landing=landing, lean_limit=0)
    assert (len(bars) > 0) == bool(expected)
    if expected:
        assert (bars.landings == ON_PART).all()
        np.testing.assert_allclose(bars.centres[:, 0, 2], 2 - 0.15)
    else:
        assert set(bars.missed.reasons.tolist()) == {BLOCKED}
        assert len(bars.missed.holds) > 50


def test_plate_first_leans_to_the_plate_where_it_can_and_lands_elsewhere(shelf):
    bars = bars_for(shelf, lift=0.0, landing="plate_first", lean_limit=40)
    straight = bars_for(shelf, lift=0.0, landing="plate_first", lean_limit=0)
    assert len(bars) == len(straight)
    assert set(bars.landings.tolist()) == {ON_PLATE, ON_PART}
    assert (straight.landings == ON_PART).all()
    assert (bars.leans_deg[bars.landings == ON_PART] < 1e-6).all()
    assert (bars_for(shelf, lift=0.0, landing="anywhere", lean_limit=40).landings == ON_PART).all()


def test_bars_stay_on_the_plate_and_off_its_zones(library):
    machine = library.machine("metal-260")
    request = request_for(box((60, 60, 4)), lift=12.0, spacing=3.0, lean_limit=40)
    shifted = Pose(x=31, y=31, build_offset=12.0)
    mesh = box((60, 60, 4))
    topology, placed = build_topology(mesh), shifted.applied(mesh)
    found = detect(topology, placed, critical_angle=45.0)
    at_corner = replace(
        request, overhangs=found, obstacles=(Obstacle(RayTree(mesh), shifted, placed),), ground=Ground(machine)
    )
    bars = generate_bars(at_corner)
    feet, radius = bars.centres[:, 0, :2], bars.radii[:, 3]
    assert (machine.plate.excess(feet) <= -radius + 1e-6).all()
    for zone in machine.zones:
        inside = (feet > [zone.x, zone.y]) & (feet < [zone.x + zone.width, zone.y + zone.depth])
        assert not inside.all(axis=1).any(), zone.name
    assert set(bars.missed.reasons.tolist()) <= {OFF_PLATE, TOO_NEAR}
    assert (bars.leans_deg > 1).any(), "some lean out of the clamp"


def test_bars_do_not_stand_on_a_protected_surface(shelf):
    request = request_for(shelf, lift=0.0, landing="anywhere", lean_limit=0)
    (obstacle,) = request.obstacles
    marks = np.where(obstacle.placed.normals[:, 2] > 0.5, KEEP_OFF, 0).astype(np.int16)
    bars = generate_bars(replace(request, obstacles=(replace(obstacle, protected=marks),)))
    assert not (bars.landings == ON_PART).any()
    assert set(bars.missed.reasons.tolist()) == {TOO_STEEP}


def test_plate_only_never_lands_on_a_part(table):
    bars = bars_for(table, lift=0.0, landing="plate_only")
    assert (bars.landings == ON_PLATE).all()
    np.testing.assert_array_equal(bars.centres[:, 0, 2], 0)


def test_the_foot_shrinks_beside_a_part_and_is_full_elsewhere():
    bars = bars_for(box((20, 20, 4)), lift=6.0, others=[(box((4, 4, 5)), Pose(x=50, y=50))], landing="plate_only")
    assert bars.radii[:, 0].max() == pytest.approx(1.2)
    assert bars.radii[:, 0].min() < 1.2
    near = np.abs(bars.centres[:, 0, :2] - 50).max(axis=1)
    assert (near >= 2 + 0.4 + bars.radii[:, 0] - 1e-6).all()


@given(st.integers(0, 2**31))
@settings(max_examples=8)
def test_no_shaft_is_nearer_to_a_part_than_the_clearance(seed):
    mesh = random_part(np.random.default_rng(seed))
    request = request_for(mesh, lift=3.0, spacing=4.0)
    bars = generate_bars(request)
    if not len(bars):
        return
    low, top, reach = open_shafts(bars, 0.4)
    away = distances_from(request.overhangs.mesh, low, top)
    assert (away >= reach - 2e-3).all()


@pytest.mark.parametrize("name", sorted(name for name in shipped_sets() if name.startswith("bars-")))
@pytest.mark.parametrize("height", [8.0, 14.0])
def test_every_shipped_set_lands_on_a_flat_floor_that_covers_the_plate(name, height):
    floor, roof = box((90, 90, 3), corner=(-45, -45, 0)), box((22, 22, 3), corner=(-11, -11, 3 + height))
    post = box((3, 3, height + 2), corner=(-1.5, -1.5, 2))
    part = from_manifold(to_manifold(floor) + to_manifold(roof) + to_manifold(post))
    parameters = shipped_sets()[name].parameters
    bars = bars_for(part, lift=0.0, **{**parameters.model_dump(), "join": "off"})
    assert bars.on_part == len(bars) >= 8
    assert not len(bars.missed.holds)
    feet = bars.centres[:, LOWER_END, 2]
    contact = parameters.contact_at(LAYER)
    assert feet == pytest.approx(3.0 - contact.distance if contact.is_bite else 3.0 + contact.distance)
