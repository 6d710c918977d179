"""Models that never change."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from lean_trellis.core.shop.frozen import Frozen


class Pin(Frozen):
    size: float = 1.0


def test_a_value_is_not_changed_and_an_unknown_one_not_taken():
    pin = Pin(size=2)
    with pytest.raises(ValidationError):
        pin.size = 3.0
    with pytest.raises(ValidationError):
        Pin(length=3)
    assert pin == Pin(size=2.0)
