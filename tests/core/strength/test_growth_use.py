"""What is used of everything that holds a part, level by level."""

from __future__ import annotations

import numpy as np
import pytest
from gripped import grid, statics_of, tips

from lean_trellis.core.mesh.primitives import box, cylinder, from_manifold, to_manifold
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.growth_use import HoldUse, danger_of, growth_use

VAT = Actions("vat", 16.0, 900.0, 5.0, peel=0.02)
BED = Actions("powder_bed", 400.0, 190_000.0, 200.0, lift=10.0, lift_depth=4.0, corner_lift=1.5)


def test_a_mushroom_pulls_most_where_its_cap_begins():
    """A stem of 4 x 4 on one contact, a cap of 20 x 20 above it: the peel is 25 times as much there."""
    stem, cap = box((4, 4, 10), corner=(8, 8, 0)), box((20, 20, 4), corner=(0, 0, 10))
    mushroom = from_manifold(to_manifold(stem) + to_manifold(cap))
    found = statics_of(VAT, mushroom, 5.0, tips(grid(1, 1, (0, 0), 5.0)))
    (by_level,), (most,) = found.by_level, found.loads
    below, above = by_level.levels < 14.4, by_level.levels > 15
    assert by_level.pulls[below, 0] == pytest.approx(0.02 * 16, rel=0.02)
    assert by_level.pulls[above, 0] == pytest.approx(0.02 * 400, rel=0.02)
    assert most.levels[0] == pytest.approx(15, abs=0.5)
    assert by_level.used.max() == most.used[0]


def test_a_contact_carries_nothing_before_the_part_has_reached_it():
    arch = from_manifold(to_manifold(box((4, 10, 20))) + to_manifold(box((20, 10, 4), corner=(0, 0, 16))))
    at = np.array([[2.0, 5.0, 5.0], [18.0, 5.0, 21.0]]) - [*arch.middle[:2], 0]
    (by_level,) = statics_of(VAT, arch, 5.0, tips(at)).by_level
    early, late = by_level.levels < 20.5, by_level.levels > 21.6
    assert (by_level.used[early, 1] == 0).all()
    assert (by_level.used[early, 0] > 0).all()
    assert (by_level.used[late, 1] > 0).all()


def test_a_rim_lifts_the_more_the_higher_what_is_above_it():
    (by_level,) = statics_of(BED, box((20, 20, 30)), 5.0, tips(grid(5, 5, (18, 18), 5.0))).by_level
    corner = by_level.pulls.max(axis=1)
    assert (np.diff(corner) >= -1e-9).all()
    expected = -np.expm1(-(by_level.levels[20] - 5) / 4) / -np.expm1(-(by_level.levels[3] - 5) / 4)
    assert corner[20] / corner[3] == pytest.approx(expected, rel=0.05)


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
