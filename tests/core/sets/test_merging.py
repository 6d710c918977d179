"""Two changed copies of a recipe: what differs, what is proposed, and the recipe of what was taken of each."""

from __future__ import annotations

from dataclasses import replace

import pytest

from lean_trellis.core.errors import EditError, ParameterError
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.merging import merged, merged_set, recipe_differences, set_differences
from lean_trellis.core.sets.recipe import Recipe

BASE = Recipe.model_validate(
    {
        "id": "ours", "title": "Ours", "process": "powder_bed", "version": 3, "note": "as it was",
        "detection": {"critical_angle": 45.0},
        "rules": [
            {"name": "broad", "least_area": 20.0, "set": "lattice-metal"},
            {"name": "thin", "most_area": 2.0, "leave": "holds by itself"},
            {"name": "rest", "set": "bars-metal", "values": {"spacing": 2.0}},
        ],
    }
)  # fmt: skip


def changed(**rules):
    """The base with fields of rules changed, or rules left out where they are None."""
    kept = []
    for rule in BASE.rules:
        if rule.name not in rules:
            kept.append(rule)
        elif rules[rule.name] is not None:
            kept.append(rule.model_copy(update=rules[rule.name]))
    return BASE.model_copy(update={"rules": tuple(kept)})


def told(mine, theirs):
    return {one.key: one for one in recipe_differences(mine, theirs, BASE)}


def test_each_value_that_differs_is_named_once_with_both_and_mine_is_proposed_where_i_changed_it():
    mine = changed(broad={"least_area": 30.0}).model_copy(update={"note": "mine"})
    theirs = changed(rest={"values": {"spacing": 1.5}}).model_copy(
        update={"detection": BASE.detection.model_copy(update={"critical_angle": 40.0}), "version": 4}
    )
    found = told(mine, theirs)
    differ = {("note",), ("detection", "critical_angle"), ("rule", "broad", "area"), ("rule", "rest", "gives")}
    assert set(found) == differ
    area = found["rule", "broad", "area"]
    assert (area.mine, area.theirs, area.is_mine) == ("30 mm² or more", "20 mm² or more", True)
    assert [found[key].is_mine for key in (("note",), ("detection", "critical_angle"), ("rule", "rest", "gives"))] == [
        True, False, False,
    ]  # fmt: skip
    assert recipe_differences(BASE, BASE, BASE) == ()


def test_what_is_taken_of_both_is_in_the_recipe_and_the_version_is_theirs():
    mine = changed(broad={"least_area": 30.0}).model_copy(update={"note": "mine"})
    theirs = changed(rest={"values": {"spacing": 1.5}}).model_copy(update={"version": 4})
    proposed = [one.key for one in recipe_differences(mine, theirs, BASE) if one.is_mine]
    made = merged(mine, theirs, proposed)
    rules = {rule.name: rule for rule in made.rules}
    assert (made.version, made.note) == (4, "mine")
    assert rules["broad"].least_area == 30.0
    assert rules["rest"].values == {"spacing": 1.5}
    assert merged(mine, theirs, ()) == theirs
    everything = [one.key for one in recipe_differences(mine, theirs, BASE)]
    assert merged(mine, theirs, everything).rules == mine.rules


def test_rules_that_only_one_has_come_or_go_and_keep_their_place():
    broad, thin, rest = BASE.rules
    mine = BASE.model_copy(update={"rules": (broad, thin.model_copy(update={"name": "pins"}), rest)})
    theirs = changed(broad={"least_area": 25.0})
    found = told(mine, theirs)
    assert found["rule", "thin"].is_mine, "it was deleted here"
    assert found["rule", "pins"].is_mine, "it was added here"
    assert not found["rule", "broad", "area"].is_mine
    made = merged(mine, theirs, [key for key, one in found.items() if one.is_mine])
    assert [rule.name for rule in made.rules] == ["broad", "pins", "rest"]
    assert made.rules[0].least_area == 25.0
    assert [rule.name for rule in merged(mine, theirs, ()).rules] == ["broad", "thin", "rest"]


def test_another_order_is_a_value_of_its_own():
    mine = BASE.model_copy(update={"rules": BASE.rules[::-1]})
    (order,) = recipe_differences(mine, BASE, BASE)
    assert (order.key, order.mine, order.is_mine) == (("order",), "rest, thin, broad", True)
    assert merged(mine, BASE, [("order",)]).rules == mine.rules
    assert merged(mine, BASE, []).rules == BASE.rules


def test_what_does_not_go_together_is_said():
    mine, theirs = changed(thin=None, broad=None, rest=None), BASE
    mine = mine.model_copy(update={"rules": ()})
    with pytest.raises(EditError, match="does not go together"):
        merged(mine, theirs, [("rule", rule.name) for rule in BASE.rules])


def test_sets_are_merged_value_by_value_and_what_does_not_fit_is_refused():
    base = shipped_sets()["bars-metal"]
    mine = replace(base, parameters=base.parameters.with_values({"spacing": 2.9, "sides": 10}), note="mine")
    theirs = replace(base, parameters=base.parameters.with_values({"spacing": 3.4, "tip_diameter": 0.45}), version=9)
    found = {one.key: one for one in set_differences(mine, theirs, base)}
    assert {key: one.is_mine for key, one in found.items()} == {
        ("value", "spacing"): True, ("value", "sides"): True, ("value", "tip_diameter"): False, ("note",): True,
    }  # fmt: skip
    both = merged_set(mine, theirs, [("value", "sides"), ("note",)])
    assert (both.version, both.note, both.parameters.spacing, both.parameters.sides) == (9, "mine", 3.4, 10)
    assert merged_set(mine, theirs, ()) == theirs
    assert set_differences(mine, shipped_sets()["raft-brim"], base) == ()
    wide = replace(base, parameters=base.parameters.with_values({"shaft_diameter": 1.9, "foot_diameter": 2.0}))
    narrow = replace(base, parameters=base.parameters.with_values({"shaft_diameter": 0.7, "foot_diameter": 0.9}))
    with pytest.raises(ParameterError, match="foot is narrower"):
        merged_set(wide, narrow, [("value", "shaft_diameter")])
