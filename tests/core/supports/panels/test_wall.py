"""Walls along lines: each under the floor it was drawn for, however many there are; what a wall keeps off."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from manifold3d import Manifold
from panel_requests import request_for

from lean_trellis.core.mesh.primitives import box, from_manifold
from lean_trellis.core.supports.common.support import HandWork, Line
from lean_trellis.core.supports.panels.lattice import generate_lattice
from lean_trellis.core.supports.panels.parameters import LatticeParameters, WallParameters
from lean_trellis.core.supports.panels.wall import generate_wall


def two_levels():
    """A plate over two floors side by side, 6 apart in height."""
    return from_manifold(Manifold.cube((20, 10, 10)) + Manifold.cube((20, 10, 16)).translate((20, 0, -6)))


def test_each_wall_rises_to_the_floor_that_it_was_drawn_for():
    mesh = two_levels()
    values = WallParameters(thickness=0.0, inset=1.0, bite_depth=0.0, tab_free=0.0, open_share=0.0)
    request = request_for(mesh, values, offset=5.0)
    assert len(request.chosen) == 2
    panels = generate_wall(request)
    tops = panels.slabs.high.max(axis=1)
    middles = panels.columns.places[panels.slabs.left][:, 0]
    step = mesh.bounds[0][0] + 20
    assert (middles < step).any() and (middles > step).any()
    np.testing.assert_allclose(tops[middles < step - 1e-6], 11.0)
    np.testing.assert_allclose(tops[middles > step + 1e-6], 5.0)


@pytest.mark.parametrize("thickness", [0.0, 0.6])
def test_a_lattice_is_trimmed_round_another_by_its_clearance_and_half_a_wall(thickness):
    values = LatticeParameters(
        thickness=thickness, cell_along=2.0, cell_across=2.0, rim_walls=0, inset=0.5, trim_clearance=0.8
    )
    around = shapely.box(7, 7, 13, 13)
    panels = generate_lattice(request_for(box((20, 20, 4)), values, followed=(around,)))
    left = panels.slabs.left
    middles = shapely.linestrings(np.stack([panels.columns.places[left], panels.columns.places[left + 1]], axis=1))
    away = shapely.distance(middles, around)
    assert away.min() == pytest.approx(0.8 + thickness / 2, abs=0.02)


def test_a_line_by_hand_rises_to_the_whole_underside_and_not_to_one_region():
    mesh = two_levels()
    hand = HandWork(paths=(Line(((5.0, 5.0, 0.0), (35.0, 5.0, 0.0))),))
    values = WallParameters(thickness=0.0, inset=3.0, bite_depth=0.0, tab_free=0.0, open_share=0.0)
    with_line = generate_wall(request_for(mesh, values, offset=5.0, hand=hand))
    without = generate_wall(request_for(mesh, values, offset=5.0))
    assert with_line.area_mm2 - without.area_mm2 == pytest.approx(15 * 11.0 + 15 * 5.0, rel=0.01)
