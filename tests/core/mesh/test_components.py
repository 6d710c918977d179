"""Connected components, beside scipy's."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from lean_trellis.core.mesh.components import components_of


@given(st.integers(0, 2**31), st.integers(1, 300), st.floats(0.0, 2.0))
def test_components_and_their_order_are_those_that_scipy_finds(seed, count, density):
    rng = np.random.default_rng(seed)
    one, other = rng.integers(0, count, (2, int(density * count)))
    expected = connected_components(coo_array((np.ones(len(one)), (one, other)), (count, count)), directed=False)[1]
    np.testing.assert_array_equal(components_of(count, one, other), expected)


def test_long_chains_in_any_order_are_one_and_nothing_has_none():
    for order in (np.arange(5000), np.arange(5000)[::-1], np.random.default_rng(3).permutation(5000)):
        assert components_of(5000, order[:-1], order[1:]).max() == 0
    none = np.zeros(0, np.int64)
    assert components_of(0, none, none).tolist() == []
    assert components_of(3, none, none).tolist() == [0, 1, 2]
