"""Parameters: declared once, refused in words."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import ParameterError, UnknownNameError
from lean_trellis.core.supports import BarParameters
from lean_trellis.core.supports.common.parameters import QUESTIONS, validated


def test_parameters_are_declared_once_with_all_that_is_needed():
    for known in BarParameters.declared():
        assert known.label
        assert known.help.endswith(".")
        assert known.question in QUESTIONS
        if known.kind in ("number", "count", "optional_number"):
            assert known.least is not None
            assert known.most is not None
        if known.kind == "choice":
            assert len(known.choices) == len(known.choice_words) > 1


@pytest.mark.parametrize(
    ("values", "key"),
    [
        ({"spacing": 0}, "spacing"),
        ({"spacing": float("nan")}, "spacing"),
        ({"pattern": "swirls"}, "pattern"),
        ({"bite_depth": 3, "tip_length": 2}, "parameters"),
        ({"foot_diameter": 1, "shaft_diameter": 2}, "parameters"),
        ({"height_limit": -1}, "height_limit"),
        ({"spaccing": 2}, "spaccing"),
    ],
)
def test_nonsense_values_are_refused_with_the_key(values, key):
    with pytest.raises(ParameterError) as caught:
        validated(BarParameters, values)
    assert caught.value.subject == key
    assert caught.value.what


def test_differences_tell_key_and_both_values():
    base = BarParameters()
    assert base.with_value("spacing", 2.0).differences(base) == {"spacing": (2.0, 3.0)}
    with pytest.raises(UnknownNameError, match="did you mean spacing"):
        base.with_value("spacin", 2.0)
