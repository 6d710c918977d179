"""Days of waivers."""

from __future__ import annotations

from datetime import date

import pytest

from lean_trellis.core.job.waivers import Waiver, day_of


@pytest.mark.parametrize(("expires", "today", "is_over"), [
    ("", "2030-01-01", False), ("2026-06-01", "2026-06-01", False), ("2026-06-01", "2026-06-02", True),
])  # fmt: skip
def test_a_waiver_ends_after_its_last_day(expires, today, is_over):
    assert Waiver("warp", "part-1", "A", "b", expires=expires).has_expired(date.fromisoformat(today)) is is_over


def test_days():
    assert day_of(" 2026-06-01 ") == "2026-06-01"
    assert day_of("") == ""
    with pytest.raises(ValueError, match="soon"):
        day_of("soon")
