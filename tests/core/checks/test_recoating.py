"""`recoater_edge`: walls square to the blade's travel, at any height, and those just turned off it."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import job_of

from lean_trellis.core.checks.recoating import walls_square_to
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import ball, box, cylinder


@pytest.fixture
def along_x(metal):
    """The metal machine with a blade that travels along x."""
    return metal[0].model_copy(update={"blade_direction_deg": 0.0}), metal[1]


def found(job) -> list:
    return [finding for finding in Pipeline().findings(job) if finding.code == "recoater_edge"]


@pytest.mark.parametrize(("length", "is_found"), [(49.9, False), (50.1, True)])
def test_the_wall_square_to_the_travel_counts_not_the_one_along_it(along_x, length, is_found):
    findings = found(job_of(along_x, box((80, length, 10)), offset=4.0))
    assert bool(findings) is is_found
    for finding in findings:
        assert finding.severity == "caution"
        assert finding.value == pytest.approx(length)
        assert finding.at_mm[2] == pytest.approx(14.0)


def test_turned_by_the_cure_it_is_met_corner_first(along_x):
    job = job_of(along_x, box((80, 60, 10)), offset=4.0)
    (finding,) = found(job)
    healed = finding.cures[0].change.edit(job, Pipeline()).job
    assert found(healed) == []
    assert found(edits.turn_part(job, "part-1", "z", 4.0).job) != []


def test_round_parts_and_machines_without_a_known_travel_are_left_alone(along_x, metal):
    assert found(job_of(along_x, cylinder(30, 10), ball(20, subdivisions=4))) == []
    unknown = metal[0].model_copy(update={"blade_direction_deg": None}), metal[1]
    assert found(job_of(unknown, box((80, 60, 10)))) == []


def test_a_leaning_wall_is_met_layer_by_layer(along_x):
    job = edits.turn_part(job_of(along_x, box((2, 60, 30)), offset=4.0), "part-1", "y", 40.0).job
    part = Pipeline().state(job).parts[0]
    assert len(walls_square_to(part, np.array([1.0, 0, 0]))[0]) == 0
    assert len(walls_square_to(part, np.array([0.0, 1.0, 0]))[0]) == 2
