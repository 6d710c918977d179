"""Protected surfaces and what touches them."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import job_of, supported

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.marks import AVOID, KEEP_OFF


def test_bars_on_surfaces_to_be_avoided_are_a_caution_and_none_stands_on_what_is_kept_off(metal):
    mesh = box((24, 18, 5))
    job = supported(job_of(metal, mesh, offset=8))
    down = np.flatnonzero(mesh.normals[:, 2] < -0.5)
    avoided = edits.protect_faces(job, "part-1", down, AVOID).job
    found = {finding.code: finding for finding in Pipeline().findings(avoided)}
    assert found["support_on_protected"].severity == "caution"
    assert found["support_on_protected"].value == pytest.approx(0, abs=0.01)
    kept_off = edits.protect_faces(job, "part-1", down, KEEP_OFF).job
    pipeline = Pipeline()
    codes = {finding.code for finding in pipeline.findings(kept_off)}
    assert len(pipeline.bars(kept_off.supports[0], kept_off)) == 0
    assert "support_on_protected" not in codes
    assert "region_not_held" in codes, "what cannot be served ends in a finding"
