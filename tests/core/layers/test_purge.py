"""What is wiped off at a change of material."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers.purge import PURGE_MM3, purge_path, purge_volume
from lean_trellis.core.shop.machine import Zone
from lean_trellis.core.shop.material import Constant

TOWER = Zone(name="tower", x=100, y=50, width=20, depth=12)


@pytest.mark.parametrize("volume", [3.0, 45.0, 400.0])
def test_the_way_over_the_tower_holds_the_volume_and_stays_on_it(volume):
    paths = purge_path(TOWER, volume, 0.4, 0.2)
    assert paths.lengths.sum() * 0.4 * 0.2 == pytest.approx(volume)
    points = paths.ways.points
    assert (points >= [100.2 - 1e-9, 50.2 - 1e-9]).all()
    assert (points <= [119.8 + 1e-9, 61.8 + 1e-9]).all()


def test_a_material_says_how_much_it_is():
    assert purge_volume({}) == PURGE_MM3
    assert purge_volume({"purge_volume": Constant(value=12.0, unit="mm3", source="assumed")}) == 12.0
    assert np.isfinite(PURGE_MM3)
