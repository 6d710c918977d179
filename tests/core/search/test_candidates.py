"""Which combinations of values are tried."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.errors import EditError
from lean_trellis.core.search.candidates import OpenValue, combinations, levels


def opened(*values):
    return [OpenValue("Rule", 0, f"key {number}", one) for number, one in enumerate(values)]


def test_few_are_tried_all():
    assert combinations(opened((1, 2), ("a", "b", "c")), 6) == (
        (1, "a"),
        (1, "b"),
        (1, "c"),
        (2, "a"),
        (2, "b"),
        (2, "c"),
    )


def test_of_many_evenly_spread_ones_are_tried_always_the_same_and_none_twice():
    many = opened(tuple(range(20)), tuple(range(20)), ("a", "b"))
    found = combinations(many, 100)
    assert found == combinations(many, 100)
    assert len(set(found)) == len(found) == 100
    for column in (0, 1):
        counts = np.bincount([one[column] for one in found], minlength=20)
        assert counts.min() >= 3
        assert counts.max() <= 7
    assert 40 <= sum(one[2] == "a" for one in found) <= 60


def test_levels_hold_both_ends_and_what_is_no_range_is_refused():
    assert levels(2, 4, 5) == (2.0, 2.5, 3.0, 3.5, 4.0)
    assert levels(3, 3, 5) == (3.0,)
    for low, high, count in ((4, 2, 5), (1, 2, 0)):
        with pytest.raises(EditError, match="no range"):
            levels(low, high, count)
    for nothing in ([], opened(())):
        with pytest.raises(EditError, match="no value is open"):
            combinations(nothing, 10)
