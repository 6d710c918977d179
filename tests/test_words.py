"""Texts that people read are plain trade English: turns that read as if translated are not used anywhere."""

from __future__ import annotations

import ast
import io
import re
import tokenize
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
PACKAGE = ROOT / "src" / "lean_trellis"

RULED_OUT = {
    "hold points?": "support point",
    "found no way": "no clear path",
    "has no way": "no clear path",
    "where there is a way": "a clear path",
    "in hand": "current, selected",
    "picked": "selected",
    "pick a": "select a",
    "pick one": "select one",
    "pick the": "select the",
    "pick some": "select some",
    "is told": "say it actively",
    "is given": "say it actively",
    "is asked": "required",
    "times is": "x required",
    "holds? itself": "self-supporting",
    "hold themselves": "self-supporting",
    "nothing holds": "no support",
    "not held": "not supported",
    "takes? hold": "touches, supports",
    "makes? room": "keep clear of",
    "room round": "clearance",
    "give up": "discard",
    "take out": "delete, remove",
    "taken out": "deleted",
    "after all": "anyway",
    "stouter": "thicker",
    "led on": "extended",
    "leading": "projecting",
    "nobody named": "an empty field with a hint",
    "not begun": "not started",
    "needs a look": "check",
    "night shift": "dark theme",
    "validated mode": "proven settings",
    "strength used": "utilisation",
    "worst ten": "ten most loaded",
    "what the machine is": "machine",
    "what the material brings": "material values",
    "by angle alone": "reset to angle",
    "same again": "repeat on selected regions",
    "look for poses?": "find a pose, search",
    "wait (before|after)": "settling time, hold time",
    "edge left free": "free share of edge",
    "share open": "open area",
    "built into each other": "overlap",
    "nearer than the clearance": "too close",
    "elsewhere": "to another machine or material",
    "sideways push": "side load",
    "as it stands": "in this pose",
    "done by hand": "manual",
    "lead .* on beyond": "extend",
}
_NOT_SAID = ("object", "logger")


def texts(source: str) -> Iterator[tuple[int, str]]:
    """What a module may show: its string constants, doc strings and dictionary keys left out."""
    tree = ast.parse(source)
    quiet = {id(node.value) for node in ast.walk(tree) if isinstance(node, ast.Expr)}
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in quiet:
            yield node.lineno, node.value


@cache
def everything() -> tuple[tuple[str, str], ...]:
    """All texts with where they are: of the package, of what ships with it, and of the documents."""
    found = []
    for path in sorted(PACKAGE.rglob("*.py")):
        for line, text in texts(path.read_text(encoding="utf-8")):
            if " " in text:
                found.append((f"{path.relative_to(ROOT)}:{line}", text))
    for path in sorted([*PACKAGE.rglob("*.toml"), ROOT / "README.md", *(ROOT / "docs").glob("*.md")]):
        for number, line in enumerate(path.read_text(encoding="utf-8").splitlines(), start=1):
            found.append((f"{path.relative_to(ROOT)}:{number}", line))
    return tuple(found)


@pytest.mark.parametrize("turn", sorted(RULED_OUT))
def test_no_text_uses_a_turn_that_is_ruled_out(turn):
    used = re.compile(rf"\b{turn}\b", re.IGNORECASE)
    found = [f"{place}: {text!r}" for place, text in everything() if used.search(text)]
    assert not found, f"say {RULED_OUT[turn]!r} instead:\n" + "\n".join(found)


def test_the_test_sees_texts_also_in_parts_and_formats():
    source = '''"""No hold point."""\nx = f"{n} hold " "points"\ny = ["one hold " "point"]\n'''
    seen = [text for _, text in texts(source)]
    assert " hold points" in seen
    assert "one hold point" in seen
    assert not any(text.startswith("No") for text in seen)


def test_sentences_end_once():
    found = [f"{place}: {text!r}" for place, text in everything() if re.search(r"[a-z]\.\.(?!\.)", text)]
    assert not found


_NOT_IN_CODE = sorted({*RULED_OUT, "are told"} - {"elsewhere"})
"""Where something lies elsewhere, code may say so: the label that said it of a build is what was ruled out."""


def notes(source: str) -> Iterator[tuple[int, str]]:
    """Doc strings and comments of a module."""
    for token in tokenize.generate_tokens(io.StringIO(source).readline):
        if token.type == tokenize.COMMENT or (token.type == tokenize.STRING and token.string.startswith('"""')):
            yield token.start[0], token.string


@cache
def every_note() -> tuple[tuple[str, str], ...]:
    """All doc strings and comments of the package with where they are."""
    return tuple(
        (f"{path.relative_to(ROOT)}:{line}", text)
        for path in sorted(PACKAGE.rglob("*.py"))
        for line, text in notes(path.read_text(encoding="utf-8"))
    )


@pytest.mark.parametrize("turn", _NOT_IN_CODE)
def test_no_doc_string_and_no_comment_uses_the_old_words(turn):
    used = re.compile(rf"\b{turn}\b(?! apart)", re.IGNORECASE)
    found = [f"{place}: {text!r}" for place, text in every_note() if used.search(text)]
    assert not found, "\n".join(found)


_OLD_NAMES = {"found", "held", "met", "picked", "told", "worked_on"}
_KEYS_OF_FILES = {"core/strength/coupons", "studio/stations/sections/coupons.py"}
"""Where `held` is a key of a coupon's outcomes."""


def bound_names(source: str) -> Iterator[tuple[int, str]]:
    """All names that a module gives to something: variables, arguments, attributes, functions."""
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
            yield node.lineno, node.id
        elif isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Store):
            yield node.lineno, node.attr
        elif isinstance(node, ast.arg):
            yield node.lineno, node.arg
        elif isinstance(node, ast.FunctionDef | ast.ClassDef):
            yield node.lineno, node.name


def test_no_name_is_one_of_the_old_words_alone():
    found = []
    for path in sorted(PACKAGE.rglob("*.py")):
        place = path.relative_to(PACKAGE).as_posix()
        names = bound_names(path.read_text(encoding="utf-8"))
        old = [(line, name) for line, name in names if name.strip("_") in _OLD_NAMES]
        if not place.startswith(tuple(_KEYS_OF_FILES)):
            found += [f"{place}:{line}: {name}" for line, name in old]
    assert not found, "\n".join(found)


def test_names_that_are_bound_are_seen_wherever_they_are():
    source = "class A:\n  def held(self, met):\n    self._told = found = 1\n"
    assert {name for _, name in bound_names(source)} == {"A", "held", "self", "met", "_told", "found"}
