"""News are told at once, then together: no more than half of the time goes into telling."""

from __future__ import annotations

import time

from PyQt6.QtCore import QObject

from lean_trellis.studio.pictures import wait_until
from lean_trellis.studio.telling import Telling


def test_the_first_is_told_at_once_and_those_that_follow_together(application):
    told: list[float] = []
    holder = QObject()
    telling = Telling(lambda: told.append(time.monotonic()), holder)
    telling.take()
    assert len(told) == 1
    for _ in range(50):
        telling.take()
    assert (len(told), telling.has_news) == (1, True)
    wait_until(lambda: not telling.has_news)
    assert len(told) == 2


def test_what_takes_long_to_tell_is_told_the_less_often(application):
    told: list[float] = []
    holder = QObject()

    def tell() -> None:
        told.append(time.monotonic())
        time.sleep(0.06)

    telling = Telling(tell, holder)
    telling.take()
    telling.take()
    wait_until(lambda: not telling.has_news)
    assert told[1] - told[0] >= 2 * 0.06
