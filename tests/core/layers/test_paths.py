"""Paths: rings gone round, lines, and both in the order of building."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers.paths import KIND_WORDS, Kind, Paths
from lean_trellis.core.layers.scanning import Rings, scanned
from lean_trellis.core.layers.ways import LayerWays

SQUARE = np.array([[0, 0], [10, 0], [10, 10], [0, 10.0]])


def test_a_ring_ends_where_it_began_and_is_as_long_as_its_outline():
    paths = Paths.of_rings(LayerWays.of_rings([SQUARE], np.array([2])), Kind.LOOP, 0.4)
    assert paths.lengths.tolist() == [40.0]
    np.testing.assert_array_equal(paths.firsts, paths.lasts)
    assert paths.levels.tolist() == [2]


def test_joined_paths_stand_layer_by_layer_and_steps_between_them_are_none():
    rings = LayerWays.of_rings([SQUARE, SQUARE], np.array([0, 1]))
    lines = scanned(Rings.of_ways(rings), 2.5, np.zeros(2))
    whole = Paths.joined([Paths.of_rings(rings, Kind.OUTLINE, 0.4), Paths.of_lines(lines, Kind.FILL, 0.4)])
    assert whole.kinds.tolist() == [0, 2, 2, 2, 2] * 2
    assert whole.lengths.sum() == pytest.approx(2 * 40 + 8 * 10)
    assert (whole.steps[~whole.is_step] == 0).all()
    assert whole.of_level(1).kinds.tolist() == [0, 2, 2, 2, 2]
    assert len(whole.of_level(7)) == 0
    assert len(Paths.joined([])) == 0
    assert len(KIND_WORDS) == len(Kind)
