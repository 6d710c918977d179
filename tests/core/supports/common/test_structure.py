"""Counts in words."""

from __future__ import annotations

import pytest

from lean_trellis.core.supports.common.structure import Counted, Unkept


@pytest.mark.parametrize(("number", "words"), [(0, "0 bars"), (1, "1 bar"), (2, "2 bars"), (12345, "12,345 bars")])
def test_one_is_not_several(number, words):
    assert str(Counted(number, "bar", "bars")) == words


def test_nothing_was_lost_unless_it_is_said():
    assert Unkept().places.shape == (0, 3)
    assert Unkept().reasons == ()
