"""A revised file: what is kept, changed and lost, told before it is taken."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from checked_parts import job_of

from lean_trellis.core.derive import Pipeline, apply_recipe
from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits import add_support, protect_faces, set_build_offset
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.parts.origin import Origin
from lean_trellis.core.revision import revise
from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.sets.recipe import Recipe, shipped_recipes
from lean_trellis.core.supports.common.support import HandBar, HandWork
from lean_trellis.core.supports.common.targets import pick_region

SETS = shipped_sets()
FLOOR, WALL = box((40, 20, 3)), box((4, 20, 40), corner=(-4, 0, 0))
LOW, HIGH = box((16, 20, 3), corner=(-1, 0, 18)), box((9, 20, 3), corner=(-1, 0, 33))
BEFORE = united([FLOOR, WALL, LOW, HIGH])
WIDER = united([FLOOR, WALL, box((22, 20, 3), corner=(-1, 0, 18)), HIGH])
WITHOUT = united([FLOOR, WALL, HIGH])
BY_ANGLE = Recipe(id="ours", title="Ours", process="powder_bed", rules=({"kinds": ("face",), "set": "bars-metal"},))


@pytest.fixture
def job(metal):
    return set_build_offset(job_of(metal, BEFORE), ["part-1"], 0.0).job


def revised(job, mesh, recipes=None):
    known = shipped_recipes() if recipes is None else recipes
    return revise(job, "part-1", mesh, Origin(file="new.stl"), "Replace", known, SETS, Pipeline())


def rows(revision):
    return {row.what: (row.state, row.words) for row in revision.rows}


def of_shelf(job, lowest, hand=None):
    part = job.parts[0]
    (region,) = (one for one in Pipeline().overhangs(part, job).regions if abs(one.lowest_mm - lowest) < 0.1)
    job = add_support(job, "part-1", SETS["bars-metal"], (pick_region(region, part),)).job
    support = job.supports[-1]
    return job.with_support(replace(support, hand=hand)) if hand else job


def test_the_same_shape_elsewhere_keeps_everything_and_says_that_it_was_moved(job):
    job = of_shelf(job, 18)
    turn = np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]])
    revision = revised(job, BEFORE.moved(turn, np.array([30.0, 5, -8])))
    told = rows(revision)
    assert told["Shape"][0] == "kept"
    assert told["Origin"][0] == "changed"
    assert told["Metal, general"] == ("kept", "1 to 1 region")
    now = revision.edit.job.parts[0]
    assert np.abs(now.placed.vertices - job.parts[0].placed.vertices).max() < 0.02
    assert now.origin.file == "new.stl"
    assert not revision.fresh.any()


def test_a_wider_shelf_keeps_its_support_and_a_shelf_that_is_gone_loses_it(job):
    job = of_shelf(of_shelf(job, 18), 33)
    wider, without = rows(revised(job, WIDER)), revised(job, WITHOUT)
    assert wider["Shape"][0] == "changed"
    assert wider["Metal, general"][0] == "kept"
    states = [row.state for row in without.rows if row.what == "Metal, general"]
    assert states == ["lost", "kept"]
    assert without.gone.any()
    assert without.before.areas[without.gone].sum() > 300


def test_hand_work_and_marks_are_counted(job):
    place = (float(BEFORE.bounds[0, 0]) + 14.0, 10.0, 18.0)
    job = of_shelf(job, 18, HandWork(bars=(HandBar(place),)))
    top = np.flatnonzero(BEFORE.normals[:, 2] > 0.9)
    job = protect_faces(job, "part-1", top, 1).job
    same, gone = rows(revised(job, WIDER)), rows(revised(job, WITHOUT))
    assert same["Metal, general: manual edits"] == ("kept", "1 of 1 kept")
    assert gone["Metal, general: manual edits"] == ("lost", "0 of 1 kept")
    assert same["Protected surface"][0] in ("kept", "changed")
    assert gone["Protected surface"][0] == "changed"


def test_supports_of_a_recipe_are_made_anew_by_its_rules(job):
    pipeline = Pipeline()
    job = apply_recipe(job, "part-1", BY_ANGLE, SETS, pipeline.graph).edit.job
    (before,) = job.supports
    revision = revised(job, WITHOUT, {"ours": BY_ANGLE})
    (after,) = revision.edit.job.supports
    assert after.id == before.id
    assert len(after.target) == len(before.target) - 1
    assert rows(revision)["Metal, general"] == ("changed", "2 to 1 region")
    unknown = revised(job, WITHOUT, {})
    assert unknown.edit.job.supports == job.supports, "without the recipe its targets stay as they are"


def test_a_file_without_faces_is_refused(job):
    with pytest.raises(EditError, match="no faces"):
        revised(job, Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32)))
