"""Tipping: the reserve against the sum it is."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from lean_trellis.core.checks.tipping import SLENDER, weakest_edge
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.shop.material import Constant
from lean_trellis.core.strength.push import side_push
from lean_trellis.core.supports.common.footprint import Patches


def square(side: float) -> Patches:
    half = side / 2
    corners = np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    return Patches(np.zeros((1, 2)), np.array([side**2]), corners)


def test_the_lever_is_area_times_the_distance_from_the_edge():
    lever, middle = weakest_edge(square(4.0), 40.0)
    assert lever == pytest.approx(16 * 2)
    assert np.abs(middle).max() == pytest.approx(2.0)


def test_it_tips_about_the_edge_that_is_nearest_to_what_holds():
    patches = square(4.0)
    moved = Patches(np.array([[0.5, 0.0]]), patches.areas, patches.corners)
    lever, middle = weakest_edge(moved, 40.0)
    assert lever == pytest.approx(16 * 1.5)
    assert middle == pytest.approx([2.0, 0.0])


def test_only_what_is_slender_is_looked_at():
    assert weakest_edge(square(4.0), SLENDER * 4.0 - 0.01) is None
    assert weakest_edge(square(4.0), SLENDER * 4.0 + 0.01) is not None
    assert weakest_edge(Patches(np.zeros((0, 2)), np.zeros(0), np.zeros((0, 2))), 50.0) is None
    in_line = Patches(np.zeros((1, 2)), np.ones(1), np.array([[0.0, 0.0], [1.0, 0.0], [2.0, 0.0]]))
    assert weakest_edge(in_line, 50.0)[0] == 0.0


@pytest.mark.parametrize(("across", "along"), [(0.4, 1.2), (1.2, 0.4)])
def test_the_blade_pushes_on_the_narrow_side_whichever_way_the_part_stands(metal, across, along):
    job = edits.add_bodies(new_job(*metal), [Body("blade", box((across, along, 120.0)), 12)]).job
    job = edits.set_build_offset(job, ["part-1"], 0.0).job
    hard = {"recoater_push": 0.4, "plate_bond": 41.0}
    constants = job.material.constants | {
        key: Constant(value=value, unit="N/mm", source="assumed") for key, value in hard.items()
    }
    job = replace(job, material=job.material.model_copy(update={"constants": constants}))
    (found,) = [finding for finding in Pipeline().findings(job) if finding.code == "tips_over"]
    push = side_push(job.constants)
    assert push.per_mm > 0
    moment = (push.force_n + push.per_mm * 0.4) * 120.0
    assert found.value == pytest.approx(push.bond_mpa * 0.48 * 0.2 / moment, rel=1e-6)
