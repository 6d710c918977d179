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


@pytest.mark.parametrize("tab_free", [0.0, 0.5])
def test_a_wall_under_a_flat_ceiling_has_the_area_that_a_hand_would_reckon(tab_free):
    parameters = WallParameters(
        inset=1, tab_free=tab_free, tab_width=1, tab_height=0.5, bite_depth=0.2, ends_on="plate"
    )
    request = request_for(box((20, 10, 4)), parameters, offset=6.0)
    panels = generate_wall(request)
    length = 2 * (17.96 + 7.96)  # the rim less the inset, and the 0.02 mm that every wall keeps from the rim
    assert panels.lengths_mm.sum() == pytest.approx(length, abs=0.2)
    length = float(panels.lengths_mm.sum())
    tabs = float(panels.tabs.widths.sum())
    assert tabs == pytest.approx(length * (1 - tab_free), rel=0.03)
    assert panels.area_mm2 == pytest.approx(
        6.0 * length + 0.2 * tabs - 0.5 * (length - tabs) * (tab_free > 0), rel=1e-6
    )
    assert panels.volume_mm3 == pytest.approx(panels.area_mm2 * request.line_mm)


def test_walls_of_several_lines_that_cross_are_cut_by_one_grid():
    drawn = tuple(Line(tuple((x, y, 0.0) for x, y in way)) for way in (
        [(2, 1.3), (28, 1.3)], [(2, 18.7), (28, 18.7)], [(2.3, 1), (2.3, 19)], [(27.7, 1), (27.7, 19)],
    ))  # fmt: skip
    parameters = WallParameters(largest_piece=10, thickness=0.4, ends_on="plate")
    request = request_for(box((30, 20, 4)), parameters, chosen=(), hand=HandWork(paths=drawn))
    panels = generate_wall(request)
    assert panels.length_mm == pytest.approx(88, rel=0.05)
    # Each for itself they would be cut into stretches of up to nine millimetres, and two of these meet at a corner.
    assert panels.piece_sizes_mm.max() <= 10 and panels.piece_count > 8


def test_a_wall_follows_a_low_edge_and_a_drawn_path_and_is_cut_square():
    wedge = from_manifold(Manifold.hull_points(np.array(
        [[0, 0, 6], [30, 0, 6], [0, 8, 14], [30, 8, 14], [0, -8, 14], [30, -8, 14.0]]
    )))  # fmt: skip
    parameters = WallParameters(largest_piece=8, thickness=0.3, cut_width=0.2)
    request = request_for(wedge, parameters, offset=6, critical=30, chosen=())
    edges = [region.id for region in request.overhangs.regions if region.kind == "edge"]
    assert edges
    along = generate_wall(request_for(wedge, parameters, offset=6, critical=30, chosen=tuple(edges)))
    assert along.tabs.places[:, 2] == pytest.approx(6.0, abs=1e-6)
    assert along.lengths_mm.sum() == pytest.approx(30 - 3 * 0.2, abs=0.05)
    assert along.piece_count == 4 and along.piece_sizes_mm.max() <= 8 + 1e-6
    drawn = Line(tuple((x, y, 0.0) for x, y in [(5, -3), (15, 3), (25, -3)]))
    by_hand = generate_wall(request_for(wedge, parameters.with_value("largest_piece", None), offset=6, critical=30,
                                        chosen=(), hand=HandWork(paths=(drawn,))))  # fmt: skip
    assert by_hand.lengths_mm.sum() == pytest.approx(2 * np.hypot(10, 6), abs=0.05)
    assert (by_hand.counted.number, by_hand.piece_count) == (2, 1)  # two straight stretches that meet
