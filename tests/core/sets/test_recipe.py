"""Recipes."""

from __future__ import annotations

from checked_parts import codes, job_of

from lean_trellis.core.derive.pipeline import Pipeline, apply_recipe
from lean_trellis.core.mesh.primitives import ball
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import shipped_recipes


def test_a_recipe_supports_a_part_in_one_step(library, metal):
    job = job_of(metal, ball(8))
    edit = apply_recipe(job, "part-1", shipped_recipes()["metal-standard"], shipped_sets(), Pipeline())
    assert [s.set_name for s in edit.job.supports] == ["bars-metal"]
    assert codes(edit.job) == []
