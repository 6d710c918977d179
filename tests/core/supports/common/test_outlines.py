"""Shadows: of solids by their silhouette, of anything else by its faces, and both the same."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold, wavy_plate, wavy_torus
from lean_trellis.core.parts.pose import rotation_about
from lean_trellis.core.supports.common.outlines import _covered_by_faces, shadow, widened


def frame() -> Mesh:
    """A plate of 20 x 16 with a hole of 8 x 6."""
    return from_manifold(to_manifold(box((20, 16, 3))) - to_manifold(box((8, 6, 9), corner=(5, 5, -3))))


@pytest.mark.parametrize(
    "mesh", [frame(), ball(6.3, subdivisions=3), wavy_plate(19.3, 14, 2.1), wavy_torus(40, 30)],
    ids=["frame", "ball", "wave", "torus"],
)  # fmt: skip
@pytest.mark.parametrize("tilt", [0.0, 13.7, 61.2])
def test_a_silhouette_covers_what_the_faces_cover(mesh, tilt):
    turned = Mesh(mesh.vertices @ (rotation_about("x", tilt) @ rotation_about("z", 7.0)).T, mesh.faces)
    by_silhouette, by_faces = shadow(turned), _covered_by_faces(turned)
    assert by_silhouette.symmetric_difference(by_faces).area < 1e-5 * by_faces.area


def test_holes_stay_open_and_solids_side_by_side_or_over_each_other_are_united():
    assert shadow(frame()).area == pytest.approx(20 * 16 - 8 * 6)
    apart = join([box((4, 4, 2)), box((4, 4, 2), corner=(10, 0, 0))])
    over = join([box((4, 4, 2)), box((4, 4, 2), corner=(2, 0, 1))])
    assert shadow(apart).area == pytest.approx(32)
    assert shadow(over).area == pytest.approx(24)


def test_what_bounds_no_solid_covers_what_its_faces_cover():
    solid = box((5, 3, 2))
    opened = Mesh(solid.vertices, solid.faces[solid.normals[:, 2] < 0.5])
    assert shadow(opened).area == pytest.approx(15)
    inside_out = Mesh(solid.vertices, solid.faces[:, ::-1])
    assert shadow(inside_out).area == pytest.approx(15)
    assert shadow(Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))).is_empty


def test_a_shape_is_widened_by_round_corners():
    shape = shadow(box((6, 4, 1)))
    assert widened(shape, 0) is shape
    assert widened(shape, 1.0).area == pytest.approx(24 + 2 * 10 + np.pi, rel=1e-3)
    assert widened(shape, -1.0).area == pytest.approx(8)
