"""Pieces of a plane cut."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.cuts import pieces_of


def square(x: float, size: float, *, is_hole: bool = False) -> np.ndarray:
    ring = x + np.array([[0, 0], [size, 0], [size, size], [0, size]], np.float64)
    return ring[::-1] if is_hole else ring


def test_holes_are_taken_from_what_is_round_them_and_pieces_stand_apart():
    pieces = pieces_of([square(0, 10), square(2, 3, is_hole=True), square(20, 4)])
    assert sorted(piece.area for piece in pieces) == pytest.approx([16, 91])
    assert sorted(len(piece.interiors) for piece in pieces) == [0, 1]


def test_rings_of_two_places_and_no_rings_are_no_pieces():
    assert pieces_of([]) == []
    assert pieces_of([square(0, 1)[:2]]) == []
    assert pieces_of([square(0, 4), square(0, 4, is_hole=True)]) == []
