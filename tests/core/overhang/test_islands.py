"""Islands of the sweep over vertices."""

from __future__ import annotations

import numpy as np
import pytest
from seen_regions import islands_on

from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.overhang import find_islands
from lean_trellis.core.parts import Pose


def test_a_lifted_part_begins_with_an_island_and_a_resting_one_does_not():
    (island,) = islands_on(box((10, 20, 5)), lift=4)
    assert (island.z_mm, island.area_mm2) == pytest.approx((4, 200))
    assert (island.x_mm, island.y_mm) == pytest.approx((0, 0), abs=1e-9)
    assert islands_on(box((10, 20, 5))) == ()


def test_a_hanging_leg_is_an_island_until_it_meets_the_top():
    solid = to_manifold(box((40, 40, 2), corner=(0, 0, 20))) + to_manifold(box((4, 4, 20)))
    mesh = from_manifold(solid + to_manifold(box((4, 4, 10), corner=(36, 36, 10))))
    (island,) = islands_on(mesh)
    assert island.z_mm == pytest.approx(10)
    assert island.area_mm2 == pytest.approx(16)
    assert (island.x_mm, island.y_mm) == pytest.approx((18, 18))
    assert island.joins_mm == pytest.approx(20)


def test_a_leg_shorter_than_a_layer_is_no_island():
    solid = to_manifold(box((40, 40, 2), corner=(0, 0, 20.0))) + to_manifold(box((4, 4, 20)))
    mesh = from_manifold(solid + to_manifold(box((4, 4, 0.5), corner=(36, 36, 19.5))))
    assert len(islands_on(mesh, layer=0.2)) == 1
    assert islands_on(mesh, layer=2.0) == ()


def test_islands_agree_with_slices_of_the_same_layers():
    rng = np.random.default_rng(5)
    solid = to_manifold(box((60, 60, 3), corner=(0, 0, 30))) + to_manifold(box((5, 5, 31)))
    for x in (15, 30, 45):
        for y in (15, 30, 45):
            long = float(rng.uniform(3, 25))
            solid += to_manifold(box((4, 4, long), corner=(x, y, 30 - long)))
    mesh, layer = from_manifold(solid), 0.25
    placed = Pose().applied(mesh)
    sliced = to_manifold(placed)
    begun = 0
    cuts = np.arange(layer / 2, placed.bounds[1, 2], layer)
    below = None
    for z in cuts:
        here = sliced.slice(float(z))
        if below is not None:
            begun += sum((piece ^ below).area() < 1e-9 for piece in here.decompose())
        below = here
    assert len(find_islands(build_topology(mesh), placed, layer)) == begun == 9
