"""LayerWays of points in a row."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.layers.ways import LayerWays

SQUARE = np.array([[0, 0], [4, 0], [4, 4], [0, 4.0]])


def test_ways_are_told_by_layer_and_picked_in_any_order():
    ways = LayerWays.of_rings([SQUARE, SQUARE[::-1] * 0.5, SQUARE + 9], np.array([0, 0, 3]))
    assert len(ways) == 3
    np.testing.assert_allclose(ways.areas_mm2, [16, -4, 16])
    np.testing.assert_array_equal(ways.owners, np.repeat([0, 1, 2], 4))
    assert [len(ways.of_level(level)) for level in range(5)] == [2, 0, 0, 1, 0]
    np.testing.assert_array_equal(ways.only(np.array([2, 0])).way(0), SQUARE + 9)
    np.testing.assert_array_equal(ways.between(1, 4).way(0), SQUARE + 9)
    assert len(ways.between(1, 3)) == 0


def test_joined_ways_stand_layer_by_layer_in_the_order_of_the_pieces():
    one, other = (
        LayerWays.of_rings([SQUARE, SQUARE + 1], np.array([0, 2])),
        LayerWays.of_rings([SQUARE + 5], np.array([0])),
    )
    whole = LayerWays.joined([one, other])
    np.testing.assert_array_equal(whole.levels, [0, 0, 2])
    np.testing.assert_array_equal(whole.way(1), SQUARE + 5)
    assert len(LayerWays.joined([LayerWays.of_rings([], np.zeros(0))])) == 0
