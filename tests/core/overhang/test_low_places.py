"""Low edges and points."""

from __future__ import annotations

import numpy as np
import pytest
from seen_regions import found_on, islands_on

from lean_trellis.core.mesh.primitives import box, cylinder, revolution
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.parts.pose import rotation_between

DOWN = np.array([0.0, 0.0, -1.0])


def test_a_cube_on_its_corner_is_a_low_point_and_on_its_edge_a_low_edge():
    cube = box((10, 10, 10))
    (point,) = found_on(cube, lift=5, turn=rotation_between(np.ones(3) / 3**0.5, DOWN)).regions
    assert (point.kind, point.lowest_mm) == ("point", pytest.approx(5))
    (edge,) = found_on(cube, lift=5, turn=rotation_about("x", 45)).regions
    assert (edge.kind, edge.lowest_mm) == ("edge", pytest.approx(5))
    assert len(edge.vertices) == 2


def test_edges_and_points_that_rest_on_the_plate_are_no_regions():
    cube = box((10, 10, 10))
    assert found_on(cube, turn=rotation_about("x", 45)).regions == ()
    assert found_on(cube, turn=rotation_between(np.ones(3) / 3**0.5, DOWN)).regions == ()


def test_a_steep_cone_on_its_tip_is_a_low_point_and_a_flat_one_a_region():
    assert [r.kind for r in found_on(cylinder(0, 10, top_radius=4), lift=3).regions] == ["point"]
    assert [r.kind for r in found_on(cylinder(0, 4, top_radius=10), lift=3).regions] == ["face"]


def test_the_bottom_of_a_bowl_is_no_low_point():
    bowl = revolution(np.array([[0, 0], [10, 0], [10, 8], [8, 8], [0.001, 2]]))
    assert found_on(bowl).regions == ()
    assert islands_on(bowl) == ()
