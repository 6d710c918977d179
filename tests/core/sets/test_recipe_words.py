"""Rules in words."""

from __future__ import annotations

import pytest

from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import Rule
from lean_trellis.core.sets.recipe_words import action_words, condition_words, range_words


@pytest.mark.parametrize(
    ("conditions", "words"),
    [
        ({}, "any region"), ({"kinds": ("edge", "point")}, "edges and points"),
        ({"kinds": ("face",), "least_area": 12, "most_angle": 30, "place": "inner"},
         "faces, surface angle up to 30°, area 12 mm² or more, above the part itself"),
        ({"surface": "protected", "processes": ("powder_bed",), "materials": ("a", "b")},
         "any region, on protected surfaces, in powder bed, of a or b"),
    ],
)  # fmt: skip
def test_conditions(conditions, words):
    assert condition_words(Rule(set="x", **conditions)) == words


def test_what_a_rule_gives():
    sets = shipped_sets()
    rule = Rule(set="bars-metal", values={"spacing": 2.5}, also=({"set": "lattice-metal"},))
    lattice = sets["lattice-metal"].title
    assert action_words(rule, sets) == f"Metal, general (spacing 2.5); {lattice}"
    assert action_words(rule) == "bars-metal (spacing 2.5); lattice-metal"
    assert action_words(Rule(leave="logo")) == "left alone: logo"


def test_ranges():
    words = [range_words(*ends, "mm") for ends in ((1, 2.5), (1, None), (None, 2.5), (None, None))]
    assert words == ["1 to 2.5 mm", "1 mm or more", "up to 2.5 mm", ""]
