"""Changes of material from layer to layer."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers.changes import changes_of


@pytest.mark.parametrize(
    ("base", "other", "starts", "withins", "begins"),
    [
        ("1111", "0000", "0000", "0000", "0000"),
        ("1101", "0010", "0011", "0000", "0010"),
        ("1111", "0110", "0000", "0110", "0010"),
        ("1110", "0111", "0001", "0110", "0011"),
        ("1100", "0100", "0000", "0100", "0000"),
        ("0011", "1100", "1010", "0000", "1100"),
        ("1011", "0001", "0000", "0001", "0000"),
    ],
)
def test_within_a_layer_with_both_one_change_is_made_and_the_next_goes_on(base, other, starts, withins, begins):
    masks = [np.array([letter == "1" for letter in text]) for text in (base, other, starts, withins, begins)]
    changes = changes_of(masks[0], masks[1])
    np.testing.assert_array_equal(changes.at_start, masks[2])
    np.testing.assert_array_equal(changes.within, masks[3])
    np.testing.assert_array_equal(changes.begins_other, masks[4])
    assert changes.count == masks[2].sum() + masks[3].sum()
