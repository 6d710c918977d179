"""Values of flank walls that contradict each other."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.supports.bodies.flank_parameters import FlankParameters


@pytest.mark.parametrize(
    ("key", "value", "words"),
    [
        ("ties_to", 9.9, "lie below the lowest"),
        ("base_width", 1.1, "narrower than the wall"),
        ("standoff", 0.0, "standoff"),
    ],
)
def test_what_contradicts_is_refused_in_words(key, value, words):
    with pytest.raises(ParameterError, match=words):
        FlankParameters().with_value(key, value)


@pytest.mark.parametrize(("key", "value"), [("ties_to", 10.0), ("base_width", 1.2), ("top", None)])
def test_what_just_fits_is_taken(key, value):
    assert getattr(FlankParameters().with_value(key, value), key) == value
