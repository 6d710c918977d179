"""A solid as cells."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.cells import inside_cells
from lean_trellis.core.mesh.primitives import ball, box, to_manifold


@pytest.mark.parametrize("mesh", [ball(8, subdivisions=4), box((10, 12, 7))])
def test_cells_inside_make_the_volume(mesh):
    low, high = mesh.bounds
    cell = 0.5
    shape = tuple((np.ceil((high - low) / cell).astype(int) + 2).tolist())
    inside = inside_cells(to_manifold(mesh), low - cell / 2, cell, shape)
    assert inside.sum() * cell**3 == pytest.approx(mesh.volume, rel=0.02)
    assert not inside[0].any()


def test_a_cavity_is_not_inside():
    solid = to_manifold(box((10, 10, 10))) - to_manifold(box((4, 4, 4), corner=(3, 3, 3)))
    inside = inside_cells(solid, np.full(3, 0.25), 0.5, (20, 20, 20))
    assert inside.sum() * 0.125 == pytest.approx(1000 - 64)
    assert not inside[10, 10, 10]
