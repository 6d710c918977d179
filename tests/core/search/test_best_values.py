"""Find the best: figures of all, checks of the best, no stop among what is given."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from checked_parts import job_of
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.derive import Pipeline
from lean_trellis.core.errors import Cancelled, EditError, ParameterError
from lean_trellis.core.job.edits import copy_part, move_part
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.progress import CountingWatch
from lean_trellis.core.search.best_values import CHEAP, SearchWish, find_best, front_of
from lean_trellis.core.search.candidates import OpenValue
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import shipped_recipes

SETS = shipped_sets()
RECIPE = shipped_recipes()["metal-standard"]


def wish(job, *opened, **more):
    places = tuple(OpenValue("Everything", 0, key, values) for key, values in opened)
    return SearchWish(job, "part-1", RECIPE, SETS, places, workers=1, **more)


@pytest.fixture(scope="module")
def two(library):
    job = job_of((library.machine("metal-260"), library.material("steel-316l")), box((9, 7, 3)))
    job = copy_part(job, "part-1").job
    return move_part(job, "part-2", 40, 40).job


@pytest.fixture(scope="module")
def found(two):
    return find_best(wish(two, ("spacing", (1.5, 1.9, 8.0)), ("tip_diameter", (0.4, 0.6)), seconds=600))


def test_every_combination_has_the_figures_that_its_job_has(two, found):
    assert [one.values for one in found.candidates] == [
        (1.5, 0.4), (1.5, 0.6), (1.9, 0.4), (1.9, 0.6), (8.0, 0.4), (8.0, 0.6)
    ]  # fmt: skip
    assert found.untried == 0
    job = found.edit(1).job
    (support,) = job.supports
    assert (support.parameters.spacing, support.parameters.tip_diameter) == (1.5, 0.6)
    pipeline, figures = Pipeline(), found.candidates[1].figures
    made = pipeline.structure(support, job)
    assert figures["count"] == len(made)
    assert figures["volume_mm3"] == pytest.approx(made.volume_mm3)
    assert figures["contact_mm2"] == pytest.approx(made.contact_area_mm2)
    assert figures["used"] == pytest.approx(float(pipeline.figures("part-1", job)["support-1"].used.max()))
    assert len(job.parts) == 2, "the others stay in the job"


def test_what_is_given_as_best_has_no_stop_and_its_build_time(two, found):
    best = [found.candidates[number] for number in found.best]
    assert {one.values[0] for one in best} <= {1.5, 1.9}
    assert best
    for number in found.best:
        assert found.candidates[number].stops == 0
        assert found.candidates[number].figures["seconds"] > 0
        job = found.edit(number).job
        assert not [one.code for one in Pipeline().findings(job) if one.part_id == "part-1" and one.severity == "stop"]
    wide = [one for one in found.candidates if one.values[0] == 8.0]
    assert all(one.stops != 0 for one in wide), "bars 8 mm apart leave the part without support"


def test_what_cannot_be_tried_is_said_and_it_can_be_cancelled(two):
    with pytest.raises(ParameterError, match="spacing"):
        find_best(wish(two, ("spacing", (-1.0, 2.0))))
    with pytest.raises(EditError, match="takes no region"):
        rule = RECIPE.rules[0].model_copy(update={"kinds": ("point",)})
        asked = wish(two, ("spacing", (2.0, 3.0)))
        find_best(replace(asked, recipe=RECIPE.model_copy(update={"rules": (rule,)})))
    with pytest.raises(Cancelled):
        find_best(wish(two, ("spacing", (1.5, 1.9))), CountingWatch(cancel_after=4))


@given(st.lists(st.tuples(*[st.integers(0, 4)] * len(CHEAP)), min_size=1, max_size=12))
def test_the_front_is_what_nothing_else_beats(rows):
    table = np.array(rows, float)
    front = front_of(table, np.ones(len(table), bool))
    for number, row in enumerate(table):
        beaten = any((other <= row).all() and (other < row).any() for other in table)
        assert front[number] != beaten
