"""The page of settings: every value of every family, and never older than the program."""

from __future__ import annotations

from pathlib import Path

from lean_trellis.core.sets.settings_guide import settings_page
from lean_trellis.core.supports.common.spec import families

PAGE = Path(__file__).parents[3] / "docs" / "settings.md"


def test_every_value_of_every_family_is_on_the_page_which_is_as_the_program_is():
    page = settings_page()
    assert PAGE.read_text("utf-8") == page, "write it anew with ./trellis record"
    for spec in families():
        assert f"## {spec.title}\n" in page
        for one in spec.model.declared():
            assert f"**{one.label}** (`{one.key}`" in page
            assert one.help in page
