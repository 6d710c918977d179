"""What of a solid lies on the plate."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.common.footprint import ON_PLATE_MM, patches_of_faces, patches_of_solid


@pytest.mark.parametrize(("height", "area"), [(0.0, 40.0), (0.9 * ON_PLATE_MM, 40.0), (1.1 * ON_PLATE_MM, 0.0)])
def test_the_lower_side_lies_on_the_plate_when_it_is_no_higher_than_that(height, area):
    patches = patches_of_solid(box((8, 5, 3), corner=(10, 20, height)))
    assert patches.areas.sum() == pytest.approx(area)
    if area:
        assert (patches.areas @ patches.middles / area) == pytest.approx([14, 22.5])
        assert np.ptp(patches.corners, axis=0).tolist() == [8, 5]


def test_of_several_solids_those_on_the_plate_count():
    both = join([box((8, 5, 3), corner=(0, 0, 0)), box((8, 5, 3), corner=(20, 0, 4))])
    assert patches_of_solid(both).areas.sum() == pytest.approx(40)
    low = patches_of_solid(join([both, box((2, 2, 3), corner=(8.5, 0, 0))]))
    assert [low.areas[low.pieces == piece].sum() for piece in range(2)] == pytest.approx([40, 4]), "each foot its own"
    assert len(patches_of_solid(Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))).areas) == 0
    large, small = patches_of_faces(both, np.arange(2)), patches_of_faces(both.scaled(0.1), np.arange(2))
    assert small.areas == pytest.approx(both.areas[:2] / 100), "one each"
    assert len(large.areas) > 10
    assert large.areas.sum() == pytest.approx(both.areas[:2].sum())
    assert large.areas @ large.middles == pytest.approx(100 * 10 * (small.areas @ small.middles))
