"""Sizes, units, shrinkage."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box


@given(st.sampled_from(["mm", "cm", "m", "in"]), st.sampled_from(["mm", "cm", "m", "in"]))
def test_units_may_be_changed_back_and_forth(metal, one, other):
    job = edits.add_bodies(new_job(*metal), [Body("tile", box((12, 9, 3)), 12)]).job
    there = edits.retake_unit(edits.retake_unit(job, ["part-1"], one).job, ["part-1"], other).job
    direct = edits.retake_unit(job, ["part-1"], other).job
    np.testing.assert_allclose(there.parts[0].mesh.vertices, direct.parts[0].mesh.vertices, rtol=1e-12, atol=1e-12)
    assert there.parts[0].origin.unit == other
