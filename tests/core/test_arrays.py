"""Arrays: frozen, counted out, rows of structs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pytest

from lean_trellis.core.arrays import Rows, counted_out, crossed, distinct_pairs, frozen


@dataclass(frozen=True, eq=False)
class Pins(Rows):
    places: np.ndarray
    sizes: np.ndarray


@dataclass(frozen=True, eq=False)
class Boards(Rows):
    numbers: np.ndarray
    pins: Pins


def board(*numbers: int) -> Boards:
    many = np.array(numbers)
    return Boards(many, Pins(np.column_stack([many, many]), many / 2))


def test_a_frozen_array_cannot_be_written_and_a_view_is_copied():
    array = np.zeros((2, 3))
    assert frozen(array) is array
    with pytest.raises(ValueError, match="read-only"):
        array[0, 0] = 1
    other = np.arange(6.0)
    view = frozen(other[::2])
    other[0] = 9
    assert view.tolist() == [0, 2, 4]


def test_counting_out_gives_owner_and_number():
    owners, numbers = counted_out(np.array([2, 0, 3]))
    assert owners.tolist() == [0, 0, 2, 2, 2]
    assert numbers.tolist() == [0, 1, 0, 1, 2]


def test_rows_are_chosen_and_joined_through_rows_within_rows():
    three = board(1, 2, 3)
    some = three.only(np.array([True, False, True]))
    assert (some.numbers.tolist(), some.pins.sizes.tolist()) == ([1, 3], [0.5, 1.5])
    assert three.only(np.array([2, 0])).pins.places.tolist() == [[3, 3], [1, 1]]
    joined = Boards.joined([three, some])
    assert joined.numbers.tolist() == [1, 2, 3, 1, 3]
    assert joined.pins.places.shape == (5, 2)


@pytest.mark.parametrize("shapes", [((5, 3), (5, 3)), ((3,), (5, 3)), ((5, 3), (3,)), ((0, 3), (0, 3))])
def test_cross_products_are_those_of_numpy_to_the_bit(shapes):
    rng = np.random.default_rng(2)
    one, other = (rng.normal(0, 100, shape) for shape in shapes)
    assert np.array_equal(crossed(one, other), np.cross(one, other))


def test_distinct_pairs_are_where_each_comes_first_in_the_order_of_the_pairs():
    pairs = np.random.default_rng(3).integers(0, 50, (4000, 2))
    expected, first = np.unique(pairs, axis=0, return_index=True)
    place = distinct_pairs(pairs[:, 0], pairs[:, 1])
    assert len(place) == len(expected) < len(pairs)
    np.testing.assert_array_equal(place, first)
    np.testing.assert_array_equal(pairs[place], expected)


def test_distinct_pairs_of_none_and_of_great_numbers():
    none = np.zeros(0, np.int64)
    assert not len(distinct_pairs(none, none))
    great = np.array([2**31 - 2, 2**31 - 1, 2**31 - 2], np.int32)
    assert len(distinct_pairs(great, great[::-1])) == 2
