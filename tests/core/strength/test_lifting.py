"""Thermal lift: along free rims alone, by the solid above them, more at corners."""

from __future__ import annotations

import numpy as np
import pytest
from gripped import standing

from lean_trellis.core.mesh.primitives import ball, box, cylinder, from_manifold, to_manifold
from lean_trellis.core.strength.lifting import lift_places


def places_under(mesh, lift=6.0):
    found = standing(mesh, lift)
    return lift_places(found.overhangs.rim, found.first_hits)


def test_all_of_a_free_rim_lifts_and_the_solid_above_it_is_measured():
    found = places_under(box((30, 10, 4)))
    assert found.lengths.sum() == pytest.approx(80)
    assert found.tops == pytest.approx(10.0, abs=1e-4)
    assert (found.lengths <= 0.5 + 1e-9).all()
    assert found.lengths[found.at_corner].sum() == pytest.approx(4 * 2 * 2.0, abs=0.6), "two millimetres each way"


def test_a_step_above_the_rim_counts_only_the_solid_right_above():
    step = from_manifold(to_manifold(box((20, 10, 2))) + to_manifold(box((10, 10, 12))))
    found = places_under(step)
    tall = found.places[:, 0] < found.places[:, 0].mean()
    assert np.median(found.tops[tall]) == pytest.approx(18, abs=1e-3)
    assert np.median(found.tops[~tall]) == pytest.approx(8, abs=1e-3)


def test_neither_a_ball_nor_the_sides_of_a_bore_lift():
    assert len(places_under(ball(8, subdivisions=4))) == 0
    bore = to_manifold(box((24, 24, 20))) - to_manifold(cylinder(6, 40)).rotate((90, 0, 0)).translate((12, 32, 10))
    mouths = places_under(from_manifold(bore), 0.0)
    assert np.abs(mouths.places[:, 1]) == pytest.approx(12.0), "its sides go on as walls, its mouths end in the air"
    assert mouths.lengths.sum() < 2 * np.pi * 6


def test_a_disc_has_no_corners():
    found = places_under(cylinder(9, 5, sides=64))
    assert found.lengths.sum() == pytest.approx(2 * np.pi * 9, rel=0.01)
    assert not found.at_corner.any()
