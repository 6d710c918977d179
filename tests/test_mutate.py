"""The tool that changes decisions one at a time: it draws what differs, and tells caught from missed."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

import mutate


@pytest.fixture
def tree(tmp_path):
    """A tree of one module with one test."""
    module, test = tmp_path / mutate.CORE / "strength/sum.py", tmp_path / "tests/core/strength/test_sum.py"
    for path in (module, test):
        path.parent.mkdir(parents=True)
    module.write_text("def add(a: int | None, b: int | None) -> int | None:\n    return a + b\n")
    test.write_text(
        "import runpy\nfrom pathlib import Path\n\n"
        f"MODULE = Path(__file__).parents[3] / {str(mutate.CORE / 'strength/sum.py')!r}\n\n"
        "def test_add():\n    assert runpy.run_path(MODULE)['add'](2, 2) == 4\n"
    )
    return tmp_path


def test_what_says_the_same_is_no_mutant_and_the_same_seed_draws_the_same(tree, monkeypatch):
    monkeypatch.setattr(mutate, "ROOT", tree)
    paths = mutate.modules("strength")
    mutants = mutate.drawn(paths, 50, 1)
    assert mutants == mutate.drawn(paths, 50, 1)
    assert [mutant.line for mutant in mutants] == [2]
    before = ast.dump(ast.parse((tree / paths[0]).read_text()))
    assert all(ast.dump(ast.parse(mutant.code())) != before for mutant in mutants)


def test_a_change_that_a_test_notices_is_caught_and_one_it_allows_is_missed(tree, monkeypatch):
    monkeypatch.setattr(mutate, "ROOT", tree)
    (path,) = mutate.modules("strength")
    (place,) = [place for place in mutate.every_place(path) if place[0].line == 2]
    fates = {
        mutant.operator.rpartition("_")[2]: mutate.is_caught(mutant, tree, 60)
        for mutant in place
        if mutant.operator.endswith(("Add_Sub", "Add_Mul"))
    }
    assert fates == {"Sub": "caught", "Mul": "missed"}
    assert "a + b" in (tree / path).read_text()


def test_those_that_an_earlier_run_missed_can_be_run_again(tree, monkeypatch, tmp_path):
    monkeypatch.setattr(mutate, "ROOT", tree)
    (path,) = mutate.modules("strength")
    (place,) = [place for place in mutate.every_place(path) if place[0].line == 2]
    first, second, third = place[:3]
    told = tmp_path / "told.txt"
    told.write_text(f"caught   {first.words}\nmissed   {third.words}\n\n2 mutants: 50% caught\n  {third.words}\n")
    assert mutate.missed_before(told, [first, second, third]) == [third]


def test_a_module_runs_its_own_tests_first_and_then_those_of_its_family_or_folder():
    tests = mutate.mirrored(mutate.CORE / "supports/bars/trees/joining.py")
    assert tests[0] == "tests/core/supports/bars/trees/test_joining.py"
    assert [test.partition("::")[0] for test in tests[1:3]] == ["tests/core/test_recorded.py"] * 2
    assert tests[2].endswith("[bars]")
    assert {Path(test).parent for test in tests[3:]} > {Path("tests/core/supports/bars"), Path(tests[0]).parent}
    assert all(test.startswith("tests/core/supports/bars/") for test in tests[3:])
    edits = mutate.mirrored(mutate.CORE / "job/edits/updates.py")
    assert edits
    assert all(test.startswith("tests/core/job/edits/") for test in edits)
    assert mutate.modules("nothing.of.the.kind") == []


@pytest.mark.parametrize(
    ("before", "after", "says_the_same"),
    [
        ("watch.at(0.25, 'so far')", "watch.at(1.25, 'so far')", True),
        ("known = LRUCache(256)", "known = LRUCache(257)", True),
        ("@dataclass(frozen=True)\nclass A:\n    x = 1", "@dataclass(frozen=False)\nclass A:\n    x = 1", True),
        ("def f(a: int = 1) -> int:\n    return a", "def f(a: str = 1) -> str:\n    return a", True),
        ("def f(a: int = 1) -> int:\n    return a", "def f(a: int = 2) -> int:\n    return a", False),
        ("at = 0.25", "at = 1.25", False),
    ],
)
def test_what_no_result_follows_from_is_no_mutant(before, after, says_the_same):
    assert (mutate._said(before) == mutate._said(after)) is says_the_same
