"""Recipes."""

from __future__ import annotations

import numpy as np
from checked_parts import codes, job_of

from lean_trellis.core.derive.pipeline import Pipeline, apply_recipe
from lean_trellis.core.mesh.primitives import ball
from lean_trellis.core.overhang.region import Region
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import shipped_recipes


def test_a_recipe_supports_a_part_in_one_step(library, metal):
    job = job_of(metal, ball(8))
    edit = apply_recipe(job, "part-1", shipped_recipes()["metal-standard"], shipped_sets(), Pipeline())
    assert [s.set_name for s in edit.job.supports] == ["bars-metal"]
    assert codes(edit.job) == []


def test_the_first_rule_that_fits_takes_a_region():
    recipe = shipped_recipes()["vat-standard"]
    nothing = np.zeros(0, np.int64)

    def region(number, kind, area):
        return Region(number, kind, nothing, nothing, area, area, 0, 0, 0, (0, 0, 0), (0, 0, 0))

    taken = recipe.assigned((region(0, "face", 50), region(1, "face", 3), region(2, "point", 0)))
    assert {place: [r.id for r in regions] for place, regions in taken.items()} == {0: [0], 1: [1, 2]}
    for kept in shipped_recipes().values():
        assert all(rule.set in shipped_sets() for rule in kept.rules)
