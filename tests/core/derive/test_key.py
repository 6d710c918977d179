"""Keys: equal where all inputs are, told apart where one is not."""

from __future__ import annotations

from dataclasses import dataclass

import pytest

from lean_trellis.core.derive.key import Key, token
from lean_trellis.core.mesh.primitives import box


@dataclass(frozen=True)
class One:
    size: float


@dataclass(frozen=True)
class Other:
    size: float


def test_keys_are_equal_by_name_and_tokens():
    assert Key("a", (1, "x")) == Key("a", (1, "x"))
    assert hash(Key("a", (1,))) == hash(Key("a", (1,)))
    assert Key("a", (1,)) != Key("b", (1,))
    assert Key("a", (1,)) != Key("a", (2,))
    assert Key("a", (1,)) != ("a", (1,))


def test_meshes_are_told_apart_by_content():
    assert token(box((1, 2, 3))) == token(box((1, 2, 3)))
    assert token(box((1, 2, 3))) != token(box((1, 2, 4)))


def test_values_are_told_apart_by_kind_and_content(metal):
    machine, material = metal
    assert token(One(1.0)) == token(One(1.0))
    assert token(One(1.0)) != token(Other(1.0))
    assert token((One(1.0), 2)) == token((One(1.0), 2))
    assert token({"b": 1, "a": 2}) == token({"a": 2, "b": 1})
    assert token(machine) == token(machine.model_copy())
    assert token(machine) != token(machine.model_copy(update={"height": 1.0}))
    assert token(material) != token(machine)
    assert token(None) is None


@pytest.mark.parametrize("value", [1, 2.5, "x", True])
def test_plain_values_stand_for_themselves(value):
    assert token(value) == value
