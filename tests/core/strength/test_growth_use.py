"""What is used of everything that holds a part, level by level."""

from __future__ import annotations

import numpy as np
import pytest
from gripped import statics_of

from lean_trellis.core.mesh.primitives import box, cylinder
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.growth_use import HoldUse, danger_of, growth_use

VAT = Actions("vat", 16.0, 900.0, 5.0, peel=0.02)
BED = Actions("powder_bed", 400.0, 190_000.0, 200.0, lift=10.0, lift_depth=4.0, corner_lift=1.5)


def test_the_bond_to_the_plate_is_known_level_by_level():
    found = statics_of(VAT, box((4, 4, 20)), 0.0)
    levels, used = found.plate_by_level.T
    assert len(levels) == len(np.unique(levels)) > 20
    assert used.max() == pytest.approx(found.plate.value)
    (flare,) = [statics_of(VAT, cylinder(3, 20), 0.0)]
    assert flare.plate.value == pytest.approx(flare.plate_by_level[:, 1].max())


def test_the_most_of_a_part_is_that_of_any_hold_and_of_the_plate():
    levels = np.array([1.0, 2.0, 3.0])
    one = HoldUse(np.zeros((2, 3)), np.array([[0.1, 0.2], [0.3, 0.1], [0.0, 0.0]]))
    use = growth_use(levels, {"a": one}, np.array([[1.0, 0.05], [3.0, 0.4]]))
    assert use.most().tolist() == [0.2, 0.3, 0.4]
    assert use.rows_at(np.array([0.4, 0.6, 1.4, 1.6, 3.4, 3.6])).tolist() == [-1, 0, 0, 1, 2, -1]
    assert use.at_heights(np.array([-1.0, 1.0, 2.2, 9.0])).tolist() == [0.0, 0.2, 0.3, 0.0]


def test_the_moment_of_greatest_danger_is_the_lowest_at_which_most_is_used():
    low = growth_use(np.array([1.0, 2.0]), {}, np.array([[1.0, 0.5], [2.0, 0.7]]))
    high = growth_use(np.array([2.0, 3.0]), {}, np.array([[2.0, 0.7], [3.0, 0.2]]))
    danger = danger_of(np.array([0.0, 1.0, 2.0, 3.0, 9.0]), [low, high], ("low", "high"))
    assert danger.used.tolist() == [0.0, 0.5, 0.7, 0.2, 0.0]
    assert danger.parts.tolist() == [-1, 0, 0, 1, -1]
    assert danger.worst == 2
    assert danger_of(np.array([1.0]), [], ()).worst is None
