"""The registry of families."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lean_trellis.core.errors import ParameterError, UnknownNameError
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.supports.common.spec import (
    families,
    parameters_of,
    register,
    require_buildable,
    spec_for,
    spec_named,
    unregister,
)


def test_every_family_is_entered_once_and_found_by_its_name_and_by_its_parameters():
    for spec in families():
        assert spec_named(spec.model.family, spec.model.form) is spec
        assert spec_for(spec.model()) is spec
        register(spec)
    names = [(spec.model.family, spec.model.form) for spec in families()]
    assert len(names) == len(set(names))


def test_another_family_of_the_same_name_is_refused():
    first = families()[0]
    with pytest.raises(ValueError, match="entered twice"):
        register(replace(first, title="Another"))


def test_a_family_that_was_taken_out_is_not_known():
    last = families()[-1]
    unregister(last)
    try:
        with pytest.raises(UnknownNameError, match="support family"):
            spec_named(last.model.family, last.model.form)
    finally:
        register(last)
    assert families()[-1] is last


def test_values_are_read_for_their_family_and_checked_against_the_critical_angle():
    values = shipped_sets()["bars-metal"].parameters.model_dump()
    made = parameters_of("bars", "", values)
    assert made == shipped_sets()["bars-metal"].parameters
    with pytest.raises(ParameterError, match="spacing"):
        parameters_of("bars", "", values | {"spacing": 0})
    require_buildable(made, 45.0)
    with pytest.raises(ParameterError):
        require_buildable(made.with_value("lean_limit", 44.0), 60.0)
