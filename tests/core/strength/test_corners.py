"""Sharp corners of outlines round layers."""

from __future__ import annotations

import numpy as np
import shapely

from lean_trellis.core.mesh.primitives import box, cylinder
from lean_trellis.core.strength.corners import has_corner, sharp_corners
from lean_trellis.core.strength.growth import stages


def outline(shape: shapely.Polygon) -> np.ndarray:
    return shapely.get_coordinates(shape.exterior)


def test_a_square_has_four_and_keeps_them_when_they_are_rounded_a_little():
    square = shapely.box(0, 0, 60, 40)
    assert len(sharp_corners(outline(square))) == 4
    rounded = square.buffer(-1).buffer(1, quad_segs=16)
    assert has_corner(outline(rounded))
    assert not has_corner(outline(square.buffer(-15).buffer(15, quad_segs=32))), "rounded by 15 mm there are none"


def test_a_disc_has_none_and_what_is_no_area_is_sharp():
    assert not has_corner(outline(shapely.Point(0, 0).buffer(30, quad_segs=64)))
    assert has_corner(np.array([[0.0, 0.0], [5.0, 0.0], [0.0, 0.0]]))


def test_layers_know_whether_they_have_corners():
    last = [list(stages(mesh, np.zeros((0, 3))))[-1] for mesh in (box((60, 60, 8)), cylinder(30, 8))]
    assert [body.has_corner for body in last] == [True, False]
