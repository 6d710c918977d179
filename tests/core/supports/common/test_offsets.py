"""Bites and gaps as heights: which way they go, of which part, and beside it."""

from __future__ import annotations

import numpy as np
import pytest
from panel_requests import request_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.common.contacts import Contact
from lean_trellis.core.supports.common.offsets import surface_offsets

BITE, GAP = Contact(is_bite=True, distance=0.2), Contact(is_bite=False, distance=0.3)


def part(thick: float, offset: float):
    return request_for(box((8, 8, thick), corner=(-4, -4, 0)), BarParameters(), offset=offset).obstacles[0]


def at(obstacles, guess: float, contact: Contact, *, is_below: bool, x: float = 0.0):
    places, heights = np.array([[[x, 0.0]]]), np.array([[guess]])
    found = surface_offsets(obstacles, places, heights, contact, np.array([3.0]), is_below=is_below)
    return float(found.offset[0, 0])


@pytest.mark.parametrize(
    ("contact", "is_below", "height"), [(BITE, True, 10.2), (GAP, True, 9.7), (BITE, False, 11.8), (GAP, False, 12.3)]
)
def test_from_below_a_bite_goes_up_and_a_gap_down_and_on_top_the_other_way(contact, is_below, height):
    plate = part(2.0, 10.0)
    assert at([plate], 10.1 if is_below else 11.9, contact, is_below=is_below) == pytest.approx(height)


def test_beside_the_part_a_bite_is_as_deep_from_the_guess_and_a_gap_keeps_off_what_is_near():
    plate = part(2.0, 10.0)
    assert at([plate], 10.0, BITE, is_below=True, x=4.3) == pytest.approx(10.2)
    assert at([plate], 10.0, GAP, is_below=True, x=4.2) == pytest.approx(10 - np.sqrt(0.09 - 0.04))
    assert at([plate], 10.0, GAP, is_below=True, x=4.4) == pytest.approx(10.0)


def test_of_two_parts_the_nearer_surface_is_bitten_and_the_gap_is_kept_from_both():
    upper, lower = part(1.0, 10.0), part(0.1, 9.6)
    for obstacles in ([upper, lower], [lower, upper]):
        assert at(obstacles, 10.05, BITE, is_below=True) == pytest.approx(10.2)
        assert at(obstacles, 9.95, GAP, is_below=True) == pytest.approx(9.3)


def test_no_deeper_than_a_thin_plate_allows_and_without_parts_from_the_guess():
    assert at([part(0.3, 10.0)], 10.0, BITE, is_below=True) == pytest.approx(10.2)
    assert at([], 7.0, BITE, is_below=True) == pytest.approx(7.2)
    assert at([], 7.0, GAP, is_below=True) == pytest.approx(7.0)
