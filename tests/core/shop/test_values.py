"""Machines and materials as flat values."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.shop.values import differences, flat_values, with_value


def test_every_value_has_a_dotted_key(metal):
    machine, material = metal
    values = flat_values(machine)
    assert values["plate.width"] == 260
    assert "id" not in values
    assert "note" not in values
    assert flat_values(material)["constants.density.value"] == material.constants["density"].value


def test_one_value_changed_differs_in_that_value_and_is_assumed_from_then_on(metal):
    machine, material = metal
    wider = with_value(machine, "plate.width", 250.0)
    assert [(d.key, d.here, d.there) for d in differences(wider, machine)] == [("plate.width", 250.0, 260.0)]
    denser = with_value(material, "constants.density.value", 8.1)
    assert [d.key for d in differences(denser, material)] == ["constants.density.value"]
    assert denser.constants["density"].source == "assumed: changed by hand"
    same = with_value(material, "constants.density.value", material.constants["density"].value)
    assert same == material, "a value that is not changed keeps its source"


@pytest.mark.parametrize(("key", "value"), [("plate.length", 3), ("plate.width", -1), ("height", "tall"), ("x.y.z", 1)])
def test_what_may_not_be_is_refused_with_its_key(metal, key, value):
    with pytest.raises(ParameterError, match=key):
        with_value(metal[0], key, value)
