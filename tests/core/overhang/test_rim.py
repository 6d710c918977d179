"""Kinds of rim."""

from __future__ import annotations

import numpy as np
import pytest
from seen_regions import found_on

from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.primitives import ball
from lean_trellis.core.overhang.rim import FADING, FREE, WALL, find_rim


def test_a_table_has_one_region_with_walls_and_free_edges(table):
    found = found_on(table)
    (region,) = found.regions
    assert region.area_mm2 == pytest.approx(40 * 40 - 4 * 16)
    rim = find_rim(build_topology(table), found.mesh, found.region_of_face, region.faces)
    lengths = np.linalg.norm(rim.stops - rim.starts, axis=1)
    assert lengths[rim.kinds == WALL].sum() == pytest.approx(4 * 8)
    assert lengths[rim.kinds == FREE].sum() == pytest.approx(4 * 32)
    assert not (rim.kinds == FADING).any()


def test_the_rim_of_a_ball_fades():
    mesh = ball(10, subdivisions=4)
    found = found_on(mesh, lift=5)
    rim = find_rim(build_topology(mesh), found.mesh, found.region_of_face, found.regions[0].faces)
    assert len(rim.kinds)
    assert (rim.kinds == FADING).all()
