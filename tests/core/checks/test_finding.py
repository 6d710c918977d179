"""Findings and what they are called."""

from __future__ import annotations

import pytest

from lean_trellis.core.checks.finding import CODE_TITLES, Finding


def test_every_title_is_short_and_begins_small():
    assert all(len(title) <= 40 for title in CODE_TITLES.values())
    assert all(title[0].islower() or title[:2].isupper() for title in CODE_TITLES.values())


@pytest.mark.parametrize(("code", "title"), [("bar_slender", "too slender"), ("toy_code", "toy code")])
def test_a_code_without_a_title_is_read_as_words(code, title):
    assert Finding(code, "note", "part", "message", "cause").title == title
