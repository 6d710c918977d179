"""What is marked in a layer: each with a case just inside and one just outside."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.layers.marks import marks_of


def square(low, high, across=10.0):
    return np.array([[low, 0.0], [high, 0.0], [high, across], [low, across]])


def marked(parts, below, supports=(), *, angle=45.0, is_on_plate=False, least=0.4):
    return marks_of(list(parts), list(below), list(supports), height_mm=0.2, critical_deg=angle, least_mm=least,
                    is_on_plate=is_on_plate)  # fmt: skip


@pytest.mark.parametrize(
    ("angle", "stands_out", "hangs"), [(45, 0.19, False), (45, 0.22, True), (30, 0.33, False), (30, 0.37, True)]
)
def test_a_layer_may_stand_out_by_its_height_over_the_tangent_of_the_critical_angle(angle, stands_out, hangs):
    marks = marked([square(0, 10 + stands_out)], [square(0, 10)], angle=angle)
    assert bool(marks.hanging) == hangs
    reach = 0.2 / np.tan(np.radians(angle))
    assert marks.hanging_mm2 == pytest.approx(max(0.0, stands_out - reach) * 10, abs=1e-6)
    assert marks.islands == ()


def test_a_piece_with_nothing_below_is_an_island_and_one_on_a_support_is_none():
    alone, whole = square(20, 24), square(0, 10)
    assert len(marked([whole, alone], [whole]).islands) == 1
    assert marked([whole, alone], [whole], [square(21, 23)]).islands == ()
    assert marked([whole, alone], [whole], [square(30, 31)]).islands != ()


def test_the_plate_holds_its_layer():
    marks = marked([square(0, 10)], [], is_on_plate=True)
    assert (marks.hanging, marks.islands, marks.hanging_mm2) == ((), (), 0.0)


@pytest.mark.parametrize(("width", "is_thin"), [(0.38, True), (0.42, False)])
def test_what_is_narrower_than_the_least_width_is_thin(width, is_thin):
    wall = square(0, width)
    assert bool(marked([wall], [wall]).thin) == is_thin


def test_nothing_has_no_marks():
    marks = marked([], [square(0, 10)])
    assert (marks.hanging, marks.islands, marks.thin) == ((), (), ())
