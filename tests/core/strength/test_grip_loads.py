"""What contacts carry level by level."""

from __future__ import annotations

import numpy as np
import pytest
from gripped import grid, statics_of, tips

from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.grip_loads import LevelLoads, lowest_most

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


def test_the_most_of_several_loads_is_kept_and_the_lowest_level_where_it_is():
    loads = LevelLoads.none(np.array([1.0, 2.0, 3.0]), 2)
    for rows, used in (([0, 2], [0.2, 0.1]), ([1, 2], [0.7, 0.3]), ([2, 1], [0.7 * (1 + 1e-12), 0.0])):
        grips = np.array([0, 1])
        loads.take(np.array(rows), grips, *(np.array(used) * k for k in (1, 2, 3, 1)))
    most = loads.most()
    assert most.used == pytest.approx([0.7, 0.3])
    assert most.pushes == pytest.approx([1.4, 0.6])
    assert most.sides == pytest.approx([2.1, 0.9])
    assert most.levels.tolist() == [2.0, 3.0], "what is the same but for rounding counts where it is lowest"
    assert loads.at(1).used == pytest.approx([0.7, 0.0])
    assert loads.only(np.array([1])).used.tolist() == [[0.0], [0.0], [0.3]]
    assert loads.places_of(np.array([0.0, 1.0, 1.5, 3.0, 9.0])).tolist() == [0, 0, 1, 2, 2]


def test_nothing_is_carried_without_levels():
    most = LevelLoads.none(np.zeros(0), 3).most()
    assert most.used.tolist() == [0, 0, 0]
    assert lowest_most(np.array([[1.0], [1.0]])).tolist() == [0]
