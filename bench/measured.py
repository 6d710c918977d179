"""What a measurement is, and how often it is taken."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass
class Measured:
    what: str
    ours_s: float
    theirs: str
    theirs_s: float
    limit_s: float | None


def best_of(work: Callable[[], object], times: int = 3) -> float:
    """The shortest of a few runs, seconds."""
    taken = []
    for _ in range(times):
        begin = time.perf_counter()
        work()
        taken.append(time.perf_counter() - begin)
    return min(taken)
