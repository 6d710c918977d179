"""Watches: stretches of a longer task, counting, cancelling."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import Cancelled
from lean_trellis.core.progress import UNWATCHED, CountingWatch, Stretch


def test_a_stretch_reports_its_share_of_the_whole_and_stretches_nest():
    watch = CountingWatch()
    half = Stretch(watch, 0.5, 1.0)
    half.at(0.5, "later")
    Stretch(half, 0.0, 0.5).at(1.0, "inner")
    assert watch.reports == [(0.75, "later"), (0.75, "inner")]


def test_a_counting_watch_cancels_when_its_count_is_reached_and_nobody_looking_never_does():
    watch = CountingWatch(cancel_after=2)
    watch.at(0.1, "one")
    watch.at(0.15, "two")
    with pytest.raises(Cancelled):
        watch.at(0.2, "three")
    for _ in range(5):
        UNWATCHED.at(0.5, "on and on")
