"""How long something takes, in words."""

from __future__ import annotations

import pytest

from lean_trellis.core.layers.durations import hours_in_words, more_in_words


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(0, "0 s"), (119.4, "119 s"), (120, "2 min"), (3569, "59 min"), (3571, "1 h 00"), (22_330, "6 h 12"),
     (360_000, "100 h 00")],
)  # fmt: skip
def test_seconds_minutes_hours(seconds, words):
    assert hours_in_words(seconds) == words


@pytest.mark.parametrize(
    ("seconds", "words"),
    [(0.9, "time as before"), (-0.9, "time as before"), (-1.2, "1 s shorter"), (740, "12 min longer")],
)
def test_longer_and_shorter(seconds, words):
    assert more_in_words(seconds) == words
