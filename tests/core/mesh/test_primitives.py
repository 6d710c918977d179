"""Solids made by code against closed forms."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.primitives import ball, box, cylinder, revolution


def test_box_has_the_volume_and_area_of_a_box():
    health = examine_mesh(box((2, 3, 4)))
    assert health.volume_mm3 == pytest.approx(24)
    assert health.area_mm2 == pytest.approx(52)
    assert (health.triangles, health.vertices, health.shells) == (12, 8, 1)
    assert health.is_sound


def test_ball_comes_near_the_closed_form_and_lies_inside_it():
    mesh = ball(10, subdivisions=5)
    assert mesh.volume == pytest.approx(4 / 3 * np.pi * 1000, rel=2e-3)
    assert mesh.volume < 4 / 3 * np.pi * 1000
    assert mesh.area == pytest.approx(4 * np.pi * 100, rel=2e-3)


def test_cone_and_ring_have_the_volumes_of_their_polygons():
    share = 64 / 2 * np.sin(2 * np.pi / 64)
    assert cylinder(3, 7, top_radius=0).volume == pytest.approx(share * 9 * 7 / 3)
    ring = revolution(np.array([[2, 0], [3, 0], [3, 1], [2, 1.0]]))
    assert ring.volume == pytest.approx(96 / 2 * np.sin(2 * np.pi / 96) * 5)
