"""What the core makes of many small builds is what it made of them before.

Where a change is meant, `./trellis record` writes the figures anew; what changed is then read in the difference.
"""

from __future__ import annotations

import json

import numpy as np
import pytest
from recorded import FILE, GROUPS, TIES, builds, declared, differing, is_alike, recorded, rounded

from lean_trellis.core.derive.graph import Graph


@pytest.mark.parametrize("group", GROUPS)
def test_every_build_gives_the_figures_that_are_recorded(group):
    before, ties = (json.loads(file.read_text("utf-8")) for file in (FILE, TIES))
    graph = Graph()
    for name, job in builds(group):
        assert differing(before[name], recorded(name, job, graph), ties.get(name)) == {}, name


def test_everything_that_is_recorded_is_built():
    names = ["parameters", *(name for group in GROUPS for name, _ in builds(group))]
    assert names == list(json.loads(FILE.read_text("utf-8")))
    assert len(names) > 150


def test_every_parameter_is_declared_as_it_is_recorded():
    assert differing(json.loads(FILE.read_text("utf-8"))["parameters"], declared()) == {}


@pytest.mark.parametrize(
    ("here", "there", "alike"),
    [
        ([3, 1.0, 2.0], [3, 1.000001, 2.0], True), ([3, 1.0], [3, 1.001], False), ([3, 1.0], [3], False),
        ("stop", "stop", True), ("stop", "caution", False), (0.0, 1e-6, True), (True, False, False), (None, 1.0, False),
    ],
)  # fmt: skip
def test_figures_are_alike_but_for_rounding(here, there, alike):
    assert is_alike(here, there) is alike


def test_what_turns_on_a_tie_may_differ_by_ten_times_what_it_did_and_by_no_more():
    before = {"places": [408, 2.0], "word": "stop", "area": 3.0}
    slacks = {"places": [1, 0.02], "word": None}
    assert differing(before, {"places": [399, 2.19], "word": "caution", "area": 3.0}, slacks) == {}
    assert list(differing(before, {"places": [397, 2.0], "word": "stop", "area": 3.0}, slacks)) == ["places"]
    assert list(differing(before, {"places": [408, 2.0], "area": 3.1}, slacks)) == ["area"]


def test_few_figures_turn_on_a_tie():
    before, ties = (json.loads(file.read_text("utf-8")) for file in (FILE, TIES))
    assert sum(map(len, ties.values())) < 0.05 * sum(map(len, before.values()))


def test_rounding_keeps_seven_digits():
    assert rounded([1234.56789, "x", 3, np.inf]) == [1234.568, "x", 3, np.inf]
