"""Modules stay small enough to be read at a sitting, and each of the core's has tests of its own."""

from __future__ import annotations

import re
from collections import Counter
from pathlib import Path
from statistics import median

import pytest

SOURCE = Path(__file__).parents[1] / "src"
LINES = {path.relative_to(SOURCE): len(path.read_text("utf-8").splitlines()) for path in SOURCE.rglob("*.py")}


@pytest.mark.parametrize(("name", "most"), [("largest", 449), ("median", 149)])
def test_modules_are_small(name, most):
    assert len(LINES) > 250
    size = max(LINES.values()) if name == "largest" else median(LINES.values())
    assert size <= most, max(LINES, key=lambda path: LINES[path])


def test_no_two_classes_have_one_name():
    names = Counter(
        name for path in LINES for name in re.findall(r"(?m)^class (\w+)", (SOURCE / path).read_text("utf-8"))
    )
    assert len(names) > 400
    assert [name for name, count in names.items() if count > 1] == []


def test_every_module_of_the_core_has_its_own_tests():
    core, tests = SOURCE / "lean_trellis" / "core", Path(__file__).parent / "core"
    modules = [path.relative_to(core) for path in core.rglob("*.py") if path.name != "__init__.py"]
    assert len(modules) > 150
    missing = [str(path) for path in modules if not (tests / path.parent / f"test_{path.name}").exists()]
    assert missing == []
