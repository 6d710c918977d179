"""The extrusion parts of the demo."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.demo.organ_parts import reed_cover, reed_panel, tracker_lever, wind_chest_grid
from lean_trellis.core.mesh import build_topology


@pytest.mark.parametrize("make", [reed_panel, wind_chest_grid, reed_cover, tracker_lever])
def test_each_is_one_closed_solid(make):
    topology = build_topology(make())
    assert (topology.is_watertight, topology.shells) == (True, 1)


def test_the_panel_is_tall_and_thin_and_the_grid_flat():
    _, depth, height = np.ptp(reed_panel().vertices, axis=0)
    assert height > 50 * depth
    width, deep, high = np.ptp(wind_chest_grid().vertices, axis=0)
    assert min(width, deep) > 8 * high
