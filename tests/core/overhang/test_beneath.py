"""What lies beneath."""

from __future__ import annotations

import numpy as np
import pytest
from seen_regions import found_on

from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.overhang.beneath import in_words, shares_beneath


def test_what_lies_beneath_is_told_apart():
    upper = to_manifold(box((20, 10, 2), corner=(0, 0, 20))) + to_manifold(box((4, 10, 20)))
    mesh = from_manifold(upper + to_manifold(box((10, 10, 2))))
    found = found_on(mesh)

    def floor_of_part(places):
        over_foot = (places[:, 0] < 0) & (places[:, 2] > 2)
        return np.where(over_foot, places[:, 2] - 2, np.inf)

    def other_below(places):
        return np.where(places[:, 0] > 8, places[:, 2] - 5, np.inf)

    (shares,) = shares_beneath(found, lambda places: np.full(len(places), np.inf), [])
    assert in_words(shares) == "plate"
    (shares,) = shares_beneath(found, floor_of_part, [other_below])
    assert shares.sum() == pytest.approx(1)
    (shares,) = shares_beneath(found, lambda places: places[:, 2] - 2, [])
    assert in_words(shares) == "same part"
    (shares,) = shares_beneath(found, lambda places: places[:, 2] - 2, [lambda places: np.full(len(places), 1.0)])
    assert in_words(shares) == "other part"
