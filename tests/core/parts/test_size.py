"""Sizes, units, shrinkage."""

from __future__ import annotations

import numpy as np
import pytest
from any_parts import extents
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.errors import EditError
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts import Size, Stage
from lean_trellis.core.parts.size import factor_for


@given(st.sampled_from(["mm", "cm", "m", "in"]), st.sampled_from(["mm", "cm", "m", "in"]))
def test_units_may_be_changed_back_and_forth(metal, one, other):
    job = edits.add_bodies(new_job(*metal), [Body("tile", box((12, 9, 3)), 12)]).job
    there = edits.retake_unit(edits.retake_unit(job, ["part-1"], one).job, ["part-1"], other).job
    direct = edits.retake_unit(job, ["part-1"], other).job
    np.testing.assert_allclose(there.parts[0].mesh.vertices, direct.parts[0].mesh.vertices, rtol=1e-12, atol=1e-12)
    assert there.parts[0].origin.unit == other


def test_shrinkage_makes_the_part_larger_so_that_it_ends_at_its_nominal_size(trio):
    stages = (Stage("print", (0.02, 0.02, 0.03)), Stage("casting", (0.012, 0.012, 0.012)))
    part = edits.set_size(trio, ["part-1"], Size(stages=stages)).job.part("part-1")
    printed = np.array([20, 10, 5]) / (1 - np.array([0.02, 0.02, 0.03])) / (1 - 0.012)
    np.testing.assert_allclose(extents(part), printed)
    after_print, final = (np.array([20, 10, 5]) * factors for _, factors in part.size.after_stages())
    np.testing.assert_allclose(after_print, printed * (1 - np.array([0.02, 0.02, 0.03])))
    np.testing.assert_allclose(final, [20, 10, 5])
    np.testing.assert_array_equal(part.nominal_mesh.vertices, trio.part("part-1").mesh.vertices)


def test_a_measure_finds_its_factor():
    assert factor_for(8.0, 8.2) == pytest.approx(1.025)
    for measured, wanted in ((0, 1), (5, 0), (5, -1)):
        with pytest.raises(EditError):
            factor_for(measured, wanted)


@pytest.mark.parametrize(("make", "words"), [
    (lambda: Size((0, 1, 1)), "no scale"),
    (lambda: Stage("sintering", (0.9, 0, 0)), "no shrinkage"),
])  # fmt: skip
def test_impossible_sizes_are_refused(make, words):
    with pytest.raises(EditError, match=words):
        make()
