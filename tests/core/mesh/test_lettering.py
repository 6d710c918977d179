"""Letters as shapes: their height, their holes, side by side."""

from __future__ import annotations

import pytest

from lean_trellis.core.mesh.lettering import text_shape, unknown_letters


@pytest.mark.parametrize("capital_mm", [1.0, 5.0, 12.5])
def test_capitals_are_as_high_as_asked_and_begin_at_the_left(capital_mm):
    low_x, low_y, _, high_y = text_shape("H", capital_mm).bounds
    assert (low_x, low_y) == (pytest.approx(0), pytest.approx(0))
    assert high_y == pytest.approx(capital_mm)


@pytest.mark.parametrize(("letter", "holes"), [("I", 0), ("A", 1), ("8", 2), ("%", 2)])
def test_letters_keep_their_holes(letter, holes):
    shape = text_shape(letter, 5)
    polygons = getattr(shape, "geoms", [shape])
    assert shape.is_valid
    assert sum(len(polygon.interiors) for polygon in polygons) == holes


def test_letters_stand_side_by_side_and_do_not_touch():
    one, two = text_shape("7", 5), text_shape("77", 5)
    assert two.area == pytest.approx(2 * one.area)
    assert two.bounds[2] > 2 * (one.bounds[2] - one.bounds[0])


def test_what_the_font_does_not_have_is_named_and_left_out():
    assert unknown_letters("Aé☃☃") == "☃"
    assert text_shape("A☃", 5).equals(text_shape("A", 5))
    assert text_shape("☃", 5).is_empty
