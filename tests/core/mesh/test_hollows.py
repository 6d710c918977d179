"""Hollows: sealed, narrow, closed by the plate, closed by the film while they are built."""

from __future__ import annotations

import numpy as np
import pytest
from gripped import placed

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.hollows import air_cells, find_hollows
from lean_trellis.core.mesh.primitives import box, cylinder, from_manifold, to_manifold

CUBE = to_manifold(box((20, 20, 20)))


def without(*bodies: Mesh) -> Mesh:
    solid = CUBE
    for body in bodies:
        solid -= to_manifold(body)
    return from_manifold(solid)


def bore(radius: float) -> Mesh:
    return from_manifold(to_manifold(cylinder(radius, 12.0, sides=32)).translate((10, 10, 12)))


INSIDE = box((14, 14, 14), corner=(3, 3, 3))
UPWARDS = box((14, 14, 20), corner=(3, 3, 3))
DOWNWARDS = box((14, 14, 18), corner=(3, 3, -1))
SIDE_VENT = box((30, 3, 3), corner=(-5, 8, 3.5))
BELOW_VENT = box((30, 3, 3), corner=(-5, 8, -1))


def hollows_of(mesh: Mesh, lift: float = 5.0, least: float = 2.0):
    cells = air_cells(placed(mesh, lift))
    return cells, find_hollows(cells, least, 10.0)


def test_a_solid_has_none():
    cells, found = hollows_of(box((20, 20, 20)))
    assert found == ()
    assert cells.sealed == 0
    assert len(cells.cups) == 0


def test_a_sealed_one_is_as_large_as_it_is_and_a_drain_serves_where_the_wall_is_thinnest():
    thin = box((14, 14, 15.5), corner=(3, 3, 3))  # 1.5 mm below the top
    cells, (hollow,) = hollows_of(without(thin))
    assert cells.sealed == 1
    assert hollow.volume_mm3 == pytest.approx(14 * 14 * 15.5, rel=0.08)
    assert hollow.way_mm == 0
    assert hollow.thinnest_mm == pytest.approx(1.5, abs=0.45)
    assert hollow.drain_mm[2] == pytest.approx(5 + 19.2, abs=0.4)
    assert np.abs(hollow.at_mm[:2]) == pytest.approx(0, abs=0.3)
    assert not hollow.is_on_plate
    inside = cells.bodies_at(np.array([[0, 0, 15.0], [0, 0, 24.6], [30, 0, 5.0], [0, 0, 2.0]]))
    assert inside.tolist() == [2, 0, 1, 1]


@pytest.mark.parametrize(("radius", "is_narrow"), [(0.6, True), (0.9, True), (1.2, False), (2.0, False)])
def test_an_opening_narrower_than_asked_counts_and_is_measured(radius, is_narrow):
    _, found = hollows_of(without(INSIDE, bore(radius)))
    assert bool(found) is is_narrow
    for hollow in found:
        assert hollow.way_mm == pytest.approx(2 * radius, abs=0.45)
        assert hollow.volume_mm3 == pytest.approx(14**3, rel=0.08)


@pytest.mark.parametrize(("wide", "is_narrow"), [(0.5, True), (1.2, True), (3.6, False)])
def test_a_slit_through_all_layers_is_a_way_as_narrow_as_it_is(wide, is_narrow):
    """Every layer is a C, and goes round no hole: a slit parts the wall, the floor and the roof from one end on."""
    slit = box((10, wide, 30), corner=(-5, 10 - wide / 2, -5))
    cells, found = hollows_of(without(INSIDE, slit))
    assert cells.sealed == 0
    assert len(found) == is_narrow
    for hollow in found:
        assert hollow.volume_mm3 == pytest.approx(14**3, rel=0.15)
        assert hollow.way_mm == pytest.approx(wide, abs=0.5)


def test_fins_and_open_channels_are_no_hollows_however_near_they_stand():
    channels = (box((30, 1, 30), corner=(-5, y, 4)) for y in (5, 10))
    _, found = hollows_of(without(*channels, box((14, 14, 14), corner=(-5, 3, 8))))
    assert found == ()


def test_a_bowl_is_open_once_it_is_built_and_closed_by_the_film_until_then():
    cells, found = hollows_of(without(UPWARDS))
    assert found == ()
    assert cells.cups.areas == pytest.approx(196, rel=0.08)
    assert cells.cups.levels.min() == pytest.approx(5 + 3, abs=0.3)
    assert cells.cups.middles[:, :2] == pytest.approx(0, abs=0.2)


@pytest.mark.parametrize(
    ("mesh", "lift", "sucks"),
    [
        (without(DOWNWARDS), 0.0, True), (without(DOWNWARDS), 5.0, False),
        (without(UPWARDS, SIDE_VENT), 5.0, False), (without(DOWNWARDS, BELOW_VENT), 0.0, False),
        (without(UPWARDS, box((30, 3, 3), corner=(-5, 8, 17.5))), 5.0, True),
    ],
    ids=["cup on the plate", "bell raised", "bowl with a vent below", "cup with a vent below", "vent at the top"],
)  # fmt: skip
def test_only_what_has_no_vent_below_sucks(mesh, lift, sucks):
    cells, _ = hollows_of(mesh, lift)
    tall = cells.cups.levels > lift + 7
    assert bool(tall.any()) is sucks


def test_the_plate_closes_a_cup_that_stands_on_it():
    cells, (hollow,) = hollows_of(without(DOWNWARDS), 0.0)
    assert hollow.is_on_plate
    assert cells.sealed == 1
    raised, found = hollows_of(without(DOWNWARDS), 5.0)
    assert found == ()
    assert raised.is_raised


def test_a_mesh_that_bounds_no_solid_has_no_cells():
    whole = placed(box((4, 4, 4)), 0)
    assert air_cells(Mesh(whole.vertices, whole.faces[2:])) is None
