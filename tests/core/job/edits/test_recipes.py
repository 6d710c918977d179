"""Supports by the rules of a recipe, and the same again."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trellis.core.errors import EditError, UnknownNameError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import new_job
from lean_trellis.core.job.edits import add_bodies, change_support, support_by_recipe, with_detection
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.overhang.traits import RegionTraits
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import Recipe, RecipeDetection, shipped_recipes
from lean_trellis.core.supports.common.support import HandBar, HandWork

SETS = shipped_sets()
NONE = np.zeros(0, np.int64)


def region(number, kind="face", area=50.0):
    return Region(number, kind, NONE, NONE, area, area, 0, 0, 0, (0, 0, 0), (float(number), 0, 0))


def traits(number, kind="face", area=50.0, **more):
    return RegionTraits(number, kind, area_mm2=area, **more)


KINDS = (("face", 50.0), ("face", 3.0), ("point", 0.0))
REGIONS = [region(number, *one) for number, one in enumerate(KINDS)]
TRAITS = [traits(number, *one) for number, one in enumerate(KINDS)]
WALL_AND_LATTICE = Recipe.model_validate({
    "id": "ours", "title": "Ours", "process": "powder_bed",
    "rules": [
        {"name": "Broad", "kinds": ["face"], "least_area": 12, "set": "lattice-metal",
         "also": [{"set": "bars-metal", "values": {"spacing": 3.0}}]},
        {"name": "Specks", "kinds": ["face"], "leave": "they hold by themselves"},
    ],
})  # fmt: skip


@pytest.fixture
def job(metal):
    return add_bodies(new_job(*metal, "Test"), [Body("slab", box((30, 20, 5)), 12)]).job


def applied(job, recipe, regions=REGIONS, of=TRAITS, **more):
    return support_by_recipe(job, "part-1", recipe, SETS, regions, of, **more)


def made(job):
    return [(one.set_name, None if one.target is None else len(one.target)) for one in job.supports]


def test_each_rule_makes_a_support_for_the_regions_that_it_takes(job):
    account = applied(job, shipped_recipes()["vat-standard"])
    assert made(account.edit.job) == [("bars-resin-regular", 1), ("bars-resin-fine", 2)]
    assert account.edit.title == "Support slab by Vat, standard"
    assert account.supported == {"Broad regions": (0,), "Small regions, edges and points": (1, 2)}
    assert account.untaken == ()
    assert applied(job, shipped_recipes()["vat-standard"], [], []).edit.job == job
    with pytest.raises(UnknownNameError, match="bars-resin-regular"):
        support_by_recipe(job, "part-1", shipped_recipes()["vat-standard"], {}, REGIONS, TRAITS)


def test_several_sets_for_the_same_regions_and_some_left_alone_with_the_reason(job):
    account = applied(job, WALL_AND_LATTICE)
    lattice, bars = account.edit.job.supports
    assert (lattice.set_name, bars.set_name, bars.parameters.spacing) == ("lattice-metal", "bars-metal", 3.0)
    assert lattice.target == bars.target
    assert (bars.made_by.recipe, bars.made_by.rule, bars.made_by.use) == ("ours", "Broad", 1)
    assert account.left_alone == {"Specks": (1,)}
    assert account.untaken == (2,)


def test_a_rule_that_takes_all_serves_regions_to_come_but_not_where_only_some_were_asked_for(job):
    recipe = shipped_recipes()["metal-standard"]
    assert made(applied(job, recipe).edit.job) == [("bars-metal", None)]
    assert made(applied(job, recipe, is_whole=False).edit.job) == [("bars-metal", 3)]


def test_again_keeps_hand_work_and_changed_values_and_takes_the_rest_from_the_changed_rule(job):
    first = applied(job, WALL_AND_LATTICE).edit.job
    bars = first.supports[1]
    first = change_support(first, bars.id, "sides", 12).job
    hand = HandWork(bars=(HandBar((1.0, 2.0, 0.0)),))
    first = first.with_support(replace(first.support(bars.id), hand=hand))
    rules = list(WALL_AND_LATTICE.rules)
    use = rules[0].also[0].model_copy(update={"values": {"spacing": 2.5, "tip_diameter": 0.7}})
    rules[0] = rules[0].model_copy(update={"also": (use,), "least_area": 2.0})
    changed = WALL_AND_LATTICE.model_copy(update={"rules": tuple(rules), "version": 2})
    again = applied(first, changed).edit.job
    now = again.support(bars.id)
    assert len(again.supports) == 2
    assert (now.parameters.spacing, now.parameters.tip_diameter, now.parameters.sides) == (2.5, 0.7, 12)
    assert now.hand == hand
    assert len(now.target) == 2
    assert now.made_by.version == 2


def test_what_no_rule_makes_any_more_goes_but_hand_work_stays(job):
    first = applied(job, WALL_AND_LATTICE).edit.job
    lattice, bars = first.supports
    worked = first.with_support(replace(bars, hand=HandWork(bars=(HandBar((1.0, 2.0, 0.0)),))))
    account = applied(worked, WALL_AND_LATTICE, REGIONS[1:], TRAITS[1:])
    assert [(one.id, one.target) for one in account.edit.job.supports] == [(bars.id, ())]
    assert account.kept_hand_work == ("bars-metal",)
    rules = (WALL_AND_LATTICE.rules[0].model_copy(update={"also": (), "set": "bars-metal"}),)
    other = lattice.id
    worked = first.with_support(replace(lattice, hand=HandWork(bars=(HandBar((1.0, 2.0, 0.0)),))))
    with pytest.raises(EditError, match="work by hand"):
        applied(worked, WALL_AND_LATTICE.model_copy(update={"rules": rules}))
    assert worked.support(other).hand.bars


def test_detection_values_of_a_recipe_become_the_parts_own(job):
    recipe = shipped_recipes()["metal-standard"]
    assert with_detection(job, "part-1", recipe) is job
    said = RecipeDetection(critical_angle=38, bridge_span=0.0)
    changed = with_detection(job, "part-1", recipe.model_copy(update={"detection": said}))
    part = changed.part("part-1")
    assert changed.critical_angle(part) == 38
    bridging = changed.bridging_of(part)
    assert (bridging.bridge_span, bridging.ledge_limit) == (0.0, job.material.detection.ledge_limit)
