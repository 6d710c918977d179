"""What contacts carry, against closed forms; parts and contacts laid out by hand."""

from __future__ import annotations

import numpy as np
import pytest
from gripped import AREA, RADIUS, grid, standing, statics_of, tips

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.bond import Bond
from lean_trellis.core.strength.statics import layer_frame, part_statics

VAT = Actions("vat", 16.0, 900.0, 5.0, peel=0.02)
BED = Actions("powder_bed", 400.0, 190_000.0, 200.0, lift=10.0, lift_depth=4.0, corner_lift=1.5)
BLADE = Actions("powder_bed", 400.0, 190_000.0, 200.0, blade=0.06, blade_ways=np.array([[1.0, 0, 0], [-1.0, 0, 0]]))
NOZZLE = Actions("extrusion", 28.0, 3300.0, 2.8, nozzle=1.0, weight=1.2e-6 * 9.81)
WEIGHT = np.pi * RADIUS**3 / 4 * 16 / (3 * np.pi)
"""The plastic section modulus of a tip."""


def test_the_peel_of_a_block_is_shared_evenly_by_four_contacts_about_its_middle():
    found = statics_of(VAT, box((20, 10, 8)), 5.0, tips(grid(2, 2, (16, 6), 5.0)))
    (loads,) = found.loads
    assert loads.pulls == pytest.approx(0.02 * 200 / 4, rel=0.02)
    assert loads.pushes == pytest.approx(loads.pulls), "on its way down the layer presses as much"
    assert loads.used == pytest.approx(0.02 * 200 / 4 / (AREA * 16), rel=0.02)


def test_two_supports_carry_together():
    left, right = grid(1, 2, (0, 6), 5.0) - [8, 0, 0], grid(1, 2, (0, 6), 5.0) + [8, 0, 0]
    left[:, 0], right[:, 0] = -8, 8
    both = statics_of(VAT, box((20, 10, 8)), 5.0, tips(left), tips(right)).loads
    assert [len(loads) for loads in both] == [2, 2]
    for loads in both:
        assert loads.pulls == pytest.approx(0.02 * 200 / 4, rel=0.02)


def test_a_lever_on_one_row_of_contacts_breaks_them():
    """Twelve tips under one edge hold a plate whose layers reach 18 mm away from them: F · 9 mm / (12 W)."""
    row = grid(1, 12, (0, 22), 5.0)
    row[:, 0] = -9.0
    (loads,) = statics_of(VAT, box((18, 24, 8)), 5.0, tips(row)).loads
    force = 0.02 * 18 * 24
    by_hand = (force / 12 / AREA + force * 9.0 / 12 / WEIGHT) / 16
    assert by_hand > 10
    assert loads.used == pytest.approx(by_hand, rel=0.02)


def test_a_thin_plate_bends_rather_than_to_lever_its_contacts():
    row = grid(1, 12, (0, 22), 5.0)
    row[:, 0] = -9.0
    thin, thick = (statics_of(VAT, box((18, 24, height)), 5.0, tips(row)).loads[0] for height in (0.5, 8))
    assert thin.used.max() < 0.4 * thick.used.max()


def test_legs_hang_on_their_own_contacts_until_a_plate_joins_them():
    solid = to_manifold(box((4, 4, 10))) + to_manifold(box((2, 2, 10), corner=(20, 0, 0)))
    legs = from_manifold(solid)
    middle = legs.middle[:2]
    at = np.array([[2, 2, 5.0], [21, 1, 5.0]]) - [*middle, 0]
    apart = statics_of(VAT, legs, 5.0, tips(at)).loads[0]
    assert apart.pulls == pytest.approx([0.02 * 16, 0.02 * 4], rel=0.05)
    table = from_manifold(solid + to_manifold(box((24, 4, 2), corner=(0, 0, 9))))
    joined = statics_of(VAT, table, 5.0, tips(at)).loads[0]
    assert joined.pulls.sum() > 0.02 * 24 * 4 * 0.99
    assert joined.levels.min() > 13, "the plate above both pulls most"


def test_what_lies_on_the_plate_is_held_by_it():
    middle = tips([[0, 0, 0.0]])
    lifted, lying = (statics_of(VAT, box((20, 10, 8)), z, middle).loads[0] for z in (5.0, 0.0))
    assert lifted.pulls[0] == pytest.approx(4.0)
    assert lying.pulls[0] < 0.05 * lifted.pulls[0]


def test_an_open_mesh_is_one_piece():
    whole = box((20, 10, 8))
    opened = Mesh(whole.vertices, whole.faces[whole.normals[:, 2] < 0.5])
    (loads,) = statics_of(VAT, opened, 5.0, tips([[0, 0, 5.0]])).loads
    assert loads.pulls[0] == pytest.approx(4.0)


def test_a_thin_plate_lifts_less_than_a_block_and_a_ball_not_at_all():
    places = grid(5, 5, (18, 18), 5.0)
    plate, block = (statics_of(BED, box((20, 20, height)), 5.0, tips(places)).loads[0] for height in (1, 30))
    ratio = (1 - np.exp(-1 / 4)) / (1 - np.exp(-30 / 4))
    assert plate.pulls.max() / block.pulls.max() == pytest.approx(ratio, rel=0.05)
    corners = np.flatnonzero((np.abs(places[:, :2]) > 8).all(axis=1))
    assert set(np.argsort(-block.pulls)[:4]) == set(corners)
    assert statics_of(BED, ball(8, subdivisions=4), 5.0, tips([[0, 0, 5.0]])).loads[0].pulls[0] < 1e-9


def test_contacts_with_a_gap_are_pushed_and_never_pulled():
    (loads,) = statics_of(NOZZLE, box((20, 20, 6)), 5.0, tips(grid(3, 3, (16, 16), 5.0), radius=2.0), pulls=False).loads
    assert loads.pulls.max() <= 1e-6
    assert (loads.pushes >= 1.0).all(), "the nozzle may stand right above each"
    bitten = statics_of(NOZZLE, box((20, 20, 6)), 5.0, tips(grid(3, 3, (16, 16), 5.0), radius=2.0)).loads[0]
    assert bitten.pulls.max() > 1e-3


def test_a_fin_on_the_plate_gives_way_like_a_cantilever():
    """F L³ / 3 E I at its top, with the blade's push on 30 mm: I about the thin side."""
    height = 40.0
    found = statics_of(BLADE, box((1, 30, height)), 0.0)
    force, inertia = 0.06 * 30, 30 * 1.0**3 / 12
    by_hand = force * height**3 / (3 * 190_000 * inertia)
    assert found.deflection.value == pytest.approx(by_hand, rel=0.06)
    assert found.deflection.level == pytest.approx(height, abs=1)


def test_contacts_beside_a_tall_part_shorten_what_gives_way():
    fin = box((1, 30, 40.0))
    free = statics_of(BLADE, fin, 0.0).deflection.value
    ties = tips([[0.5, 0, 30.0], [-0.5, 5, 30.0]])
    assert statics_of(BLADE, fin, 0.0, ties).deflection.value < 0.5 * free


def test_the_bond_to_the_plate_bears_the_lever_of_a_push_at_the_top():
    """M / W of a disc of that area, plastic, and nothing of it is pulled but by the moment."""
    column = cylinder(2.0, 40.0, sides=64)
    found = statics_of(BLADE, column, 0.0)
    moment, area = 0.06 * 4 * 40, np.pi * 4
    elastic = moment / (np.pi * 2**3 / 4)
    assert 0.5 * elastic / 200 < found.plate.value < 1.5 * elastic / 200
    assert found.plate.at_mm[2] == pytest.approx(0, abs=1e-6)
    wide = part_statics(standing(column, 0.0, feet=Bond(grid(3, 3, (20, 20), 0.0), np.full(9, area))), BLADE)
    assert wide.plate.value < 0.3 * found.plate.value


def test_what_is_held_by_nothing_carries_nothing():
    found = statics_of(VAT, box((20, 10, 8)), 5.0)
    assert found.loads == ()
    assert found.deflection.value == found.plate.value == 0


def test_coarse_bond_keeps_area_and_moment():
    bond = Bond(grid(20, 20, (19, 19), 0.0), np.linspace(1, 2, 400))
    coarse = bond.coarse(5.0)
    assert len(coarse) < 30
    assert coarse.areas.sum() == pytest.approx(bond.areas.sum())
    assert coarse.areas @ coarse.places == pytest.approx(bond.areas @ bond.places)
    assert len(Bond().coarse(3.0)) == 0


def test_the_frame_of_layers_turns_their_normal_upright():
    normal = np.array([0.0, -np.sin(0.7), np.cos(0.7)])
    frame = layer_frame(tuple(normal.tolist()))
    assert frame @ normal == pytest.approx([0, 0, 1])
    assert frame @ frame.T == pytest.approx(np.eye(3))
    assert layer_frame((0.0, 0.0, 1.0)) == pytest.approx(np.eye(3))
