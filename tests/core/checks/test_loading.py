"""Loads that pull layers apart."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import codes, job_of, the_finding

from lean_trellis.core.checks.loading import strength_along
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box


@pytest.fixture
def job(library):
    return job_of((library.machine("filament-320"), library.material("pla")), box((20, 20, 40)), offset=0.0)


def test_strength_runs_from_that_within_layers_to_that_across():
    up = np.array([0.0, 0.0, 1.0])
    assert strength_along(np.array([1.0, 0, 0]), up, 0.5) == pytest.approx(1.0)
    assert strength_along(up, up, 0.5) == pytest.approx(0.5)
    slant = np.array([np.cos(np.pi / 4), 0, np.sin(np.pi / 4)])
    assert strength_along(slant, up, 0.5) == pytest.approx(0.5 / (0.5 + 0.25))


def along(job, degrees):
    angle = np.radians(degrees)
    return edits.name_load(job, ["part-1"], [np.cos(angle), 0.0, np.sin(angle)]).job


def test_a_load_just_within_the_limit_and_one_just_outside(job):
    # 0.5 / (s² + 0.5 (1 - s²)) = 0.7, of which half a hundredth is spared: s² = 0.4357, 41.3°
    assert "load_across_layers" not in codes(along(job, 41.0))
    found = the_finding(along(job, 41.6), "load_across_layers")
    assert found.severity == "caution"
    assert found.value == pytest.approx(0.5 / (0.5 + 0.5 * np.sin(np.radians(41.6)) ** 2))
    assert "42° across the layers" in found.message


def test_no_load_no_finding(job):
    assert "load_across_layers" not in codes(job)


@pytest.mark.parametrize("degrees", [50.0, 90.0])
def test_the_cure_lays_the_load_within_the_layers(job, degrees):
    job = along(job, degrees)
    cure = the_finding(job, "load_across_layers").cures[0]
    cured = cure.change.edit(job, Pipeline()).job
    assert "load_across_layers" not in codes(cured)
    part = cured.parts[0]
    assert (part.pose.matrix @ np.array(part.load))[2] == pytest.approx(0.0, abs=1e-9)


def test_a_load_turns_with_its_part(job):
    job = edits.turn_part(along(job, 90.0), "part-1", "x", 90.0).job
    assert "load_across_layers" not in codes(job)


def test_a_direction_of_nothing_is_refused(job):
    with pytest.raises(EditError, match="has no direction"):
        edits.name_load(job, ["part-1"], [0.0, 0.0, 0.0])
    with pytest.raises(EditError, match="has no load"):
        edits.lay_load_flat(job, "part-1")
