"""Checks: each finding where it belongs, with place, value, limit, cause and cure; none where all is well."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import codes, job_of, supported

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh.primitives import ball, box


def test_a_sound_part_that_stands_on_the_plate_has_no_findings(metal):
    assert codes(job_of(metal, box((20, 20, 5)), offset=0)) == ["out_of_reach"]  # of a saw that leaves its height


def test_a_sound_part_that_rests_on_a_plate_without_a_saw_has_no_findings(library):
    shop = library.machine("filament-320"), library.material("pla")
    assert codes(job_of(shop, box((20, 20, 5)), offset=0)) == []


def test_a_well_supported_part_has_no_findings(metal):
    assert codes(supported(job_of(metal, box((20, 20, 5)), ball(8)))) == []


def test_awkward_meshes_are_supported_and_checked_without_fail(metal, awkward):
    if not len(awkward.faces):
        pytest.skip("an empty mesh cannot be imported")
    size = float(np.ptp(awkward.vertices, axis=0).max())
    if size > 1e3:  # no machine holds it, and its supports would take their time
        awkward = awkward.scaled(40 / size)
    job = supported(job_of(metal, awkward))
    pipeline = Pipeline()
    findings = pipeline.findings(job)
    sound = pipeline.health(awkward).is_sound
    assert sound == ("mesh_unsound" not in {finding.code for finding in findings})
    bars = pipeline.bars(job.supports[0], job)
    assert np.isfinite(bars.centres).all()
