"""Trunks as solids: those on slopes and those on the plate side by side, coarse pictures, beams."""

from __future__ import annotations

import numpy as np
import pytest
from bar_requests import bars_for, shelf_over, wedge

from lean_trellis.core.mesh import build_topology, examine
from lean_trellis.core.supports.bars.struts import ON_PART, ON_PLATE


@pytest.fixture(scope="module")
def bars():
    """A tree on a slope beside others that stand on the plate."""
    made = bars_for(
        shelf_over(wedge(35.0)), lift=0.0, lean_limit=30.0, landing="plate_first", join="on", group_span=9.0
    )
    assert {ON_PART, ON_PLATE} <= set(made.trunks.landings.tolist())
    return made


def test_volumes_are_those_of_the_solids_each(bars):
    mesh = bars.trunks.mesh(bars.sides)
    own = mesh.corners.reshape(len(bars.trunks), -1, 3, 3)
    spans = np.einsum("tfi,tfi->t", own[:, :, 0], np.cross(own[:, :, 1], own[:, :, 2])) / 6
    np.testing.assert_allclose(bars.trunks.volumes_mm3(bars.sides), spans)
    assert (spans > 0).all()


@pytest.mark.parametrize("sides", [3, 5])
def test_a_coarse_picture_is_as_sound_and_its_lower_ends_rise_with_the_slope(bars, sides):
    trunks, mesh = bars.trunks, bars.trunks.mesh(sides)
    assert examine(build_topology(mesh)).is_sound
    own = mesh.vertices.reshape(len(trunks), -1, 3)[:, :sides]
    rise = np.ptp(own[:, :, 2], axis=1) / np.ptp(own[:, :, 1], axis=1)
    lands = trunks.landings == ON_PART
    np.testing.assert_allclose(rise[lands], np.tan(np.radians(35)), rtol=0.02)
    np.testing.assert_allclose(rise[~lands], 0.0, atol=1e-9)


def test_beams_end_a_radius_short_of_the_slope_and_on_the_plate_where_trunks_do(bars):
    trunks, lines = bars.trunks, bars.trunks.beam_lines()
    lands = trunks.landings == ON_PART
    up = lines[:, 0, 2] - trunks.centres[:, 0, 2]
    np.testing.assert_allclose(up[lands], trunks.radii[lands, 0] / np.cos(np.radians(35)), rtol=0.03)
    np.testing.assert_array_equal(up[~lands], 0.0)
