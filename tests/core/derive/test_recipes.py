"""Recipes on a part: found by the recipe's own detection values, for all regions or for some."""

from __future__ import annotations

import pytest
from checked_parts import job_of

from lean_trellis.core.derive import Pipeline, apply_recipe
from lean_trellis.core.errors import LibraryError
from lean_trellis.core.mesh.primitives import ball
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import Recipe

SETS = shipped_sets()


def recipe(**more):
    rules = [{"name": "Islands", "kinds": ["island"], "set": "bars-metal-fine"}, {"name": "Rest", "set": "bars-metal"}]
    return Recipe(id="ours", title="Ours", process="powder_bed", rules=rules, **more)


def test_the_recipes_angle_finds_the_regions_and_rules_share_them(metal):
    job, pipeline = job_of(metal, ball(8)), Pipeline()
    usual = apply_recipe(job, "part-1", recipe(), SETS, pipeline.graph)
    flat = apply_recipe(job, "part-1", recipe(detection={"critical_angle": 20.0}), SETS, pipeline.graph)
    assert "Islands" in usual.supported
    areas = [pipeline.overhangs(one.edit.job.parts[0], one.edit.job).critical_area_mm2 for one in (usual, flat)]
    assert areas[1] < 0.5 * areas[0]
    assert flat.edit.job.parts[0].critical_angle == 20.0


def test_only_some_regions_are_supported_where_some_are_named(metal):
    job, pipeline = job_of(metal, ball(8)), Pipeline()
    numbers = [region.id for region in pipeline.overhangs(job.parts[0], job).to_support]
    some = apply_recipe(job, "part-1", recipe(), SETS, pipeline.graph, only=numbers[:1])
    assert sum(len(one.target) for one in some.edit.job.supports) == 1
    assert apply_recipe(job, "part-1", recipe(), SETS, pipeline.graph, only=()).edit.job.supports == ()


def test_a_set_that_is_gone_is_named_before_anything_is_done(metal):
    with pytest.raises(LibraryError, match="Ours, Islands"):
        apply_recipe(job_of(metal, ball(8)), "part-1", recipe(), {}, Pipeline().graph)
