"""Figures of a prepared job."""

from __future__ import annotations

import pytest
from checked_parts import job_of, supported

from lean_trellis.core.derive import Pipeline
from lean_trellis.core.derive.prepared import prepared_parts
from lean_trellis.core.mesh.primitives import box


def test_each_support_has_its_figures_and_those_under_load(metal):
    job, pipeline = supported(job_of(metal, box((9, 7, 3))), "bars-metal"), Pipeline()
    ((support,),) = (part["supports"] for part in prepared_parts(job, pipeline))
    (own,) = job.supports
    made = pipeline.structure(own, job)
    assert (support["family"], support["set"], support["count"]) == ("bars", "bars-metal", len(made))
    assert support["volume_mm3"] == pytest.approx(pipeline.built_volume(own, job))
    assert support["contacts"] == made.contacts.tolist()
    used = pipeline.figures("part-1", job)[own.id].used
    assert support["strength_used"] == pytest.approx(float(used.max()))
    assert support["most_loaded"][0]["used"] == pytest.approx(float(used.max()))
    assert prepared_parts(job_of(metal, box((9, 7, 3))), pipeline)[0]["supports"] == []
