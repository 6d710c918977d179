"""What a state of a job comes to."""

from __future__ import annotations

import pytest

from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.derive.statics import STATICS
from lean_trellis.core.derive.trials import TRIAL_FIGURES
from lean_trellis.core.job.edits import add_support
from lean_trellis.core.sets import shipped_sets


def test_figures_are_those_of_estimate_findings_statics_and_structures(trio):
    job = add_support(trio, "part-2", shipped_sets()["bars-metal"]).job
    job = add_support(job, "part-1", shipped_sets()["lattice-metal"]).job
    pipeline = Pipeline()
    found = pipeline.graph.get(TRIAL_FIGURES, None, job)
    estimate = pipeline.graph.get(ESTIMATE, None, job)
    assert (found.layers, found.cost) == (estimate.layers, estimate.cost)
    assert found.support_volume_mm3 == pytest.approx(sum(pipeline.built_volume(one, job) for one in job.supports))
    made = [pipeline.structure(one, job) for one in job.supports]
    assert found.contact_area_mm2 == pytest.approx(sum(one.contact_area_mm2 for one in made))
    assert found.count == sum(one.counted.number for one in made)
    figures = [one for part in ("part-1", "part-2") for one in pipeline.figures(part, job).values()]
    assert found.most_used == max(float(one.used.max()) for one in figures) > 0
    carried = [pipeline.graph.get(STATICS, job.part(part), job).statics for part in ("part-1", "part-2")]
    assert found.deflection_mm == max(one.deflection.value for one in carried) > 0
    assert found.tallest_mm == pytest.approx(max(one.mesh.bounds[1, 2] for one in made))
    findings = pipeline.findings(job)
    for severity in ("stop", "caution", "note"):
        assert found.findings[severity] == sum(one.severity == severity for one in findings)


def test_a_job_without_supports_has_figures_too(trio):
    found = Pipeline().graph.get(TRIAL_FIGURES, None, trio)
    assert (found.count, found.contact_area_mm2, found.most_used, found.tallest_mm) == (0, 0, 0, 0)
    assert found.deflection_mm == 0
    assert found.findings["stop"] > 0
