"""Tipping: the reserve against the sum it is, in the process's own direction."""

from __future__ import annotations

from dataclasses import replace

import pytest
from checked_parts import codes, job_of, supported, the_finding

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold
from lean_trellis.core.shop.material import Constant


def with_constants(job: Job, **values: float) -> Job:
    constants = job.material.constants | {
        key: Constant(value=value, unit="N/mm", source="assumed") for key, value in values.items()
    }
    return replace(job, material=job.material.model_copy(update={"constants": constants, "processes": ()}))


@pytest.mark.parametrize(("across", "along"), [(0.4, 1.2), (1.2, 0.4)])
def test_the_blade_pushes_along_its_travel_on_the_side_that_it_meets(metal, across, along):
    """It goes from front to back: what is wide across that is pushed more, what is short along it holds less."""
    job = with_constants(job_of(metal, box((across, along, 120.0)), offset=0.0), recoater_push=0.4, plate_bond=41.0)
    worst = Pipeline().statics("part-1", job).statics.tipping
    push = 0.4 * across * worst.level
    assert worst.value == pytest.approx(push / (41.0 * across * along * along / 2), rel=1e-6)
    assert worst.level == pytest.approx(120.0, abs=1.0)
    assert ("tips_over" in codes(job)) is (1 / worst.value < 1.5)
    if along < across:
        assert the_finding(job, "tips_over").value == pytest.approx(1 / worst.value)


def test_a_film_that_pulls_beside_the_foot_turns_a_vat_s_part_over(library):
    """A mushroom to one side: the film pulls on a roof of 20 x 20 whose middle is 13 mm beside a stem of 4 x 20."""
    solid = to_manifold(box((4, 20, 12))) + to_manifold(box((30, 20, 2), corner=(0, 0, 10)))
    shop = library.machine("vat-200"), library.material("resin-model")
    job = job_of(shop, from_manifold(solid), offset=0.0)
    peel = job.constants["peel_pressure"].value * 30 * 20
    worst = Pipeline().statics("part-1", with_constants(job, plate_bond=5.0)).statics.tipping
    assert worst.value == pytest.approx(peel * 15 / (5.0 * 80 * 2), rel=0.01)
    for reserve, severity in ((1.55, None), (1.45, "caution"), (1.02, "caution"), (0.97, "stop")):
        bonded = with_constants(job, plate_bond=5.0 * worst.value * reserve)
        found = [one.severity for one in Pipeline().findings(bonded) if one.code == "tips_over"]
        assert found == [severity] * (severity is not None), reserve
    nearly = with_constants(job, plate_bond=5.0 * worst.value * 1.2)
    assert "resists 1.20 x the pull of the film" in the_finding(nearly, "tips_over").message


def test_feet_of_supports_widen_what_it_stands_on(library):
    shop = library.machine("filament-320"), library.material("pla")
    alone = job_of(shop, box((3, 20, 60)), offset=0.0)
    walled = supported(alone, "wall-flank")
    one, other = (Pipeline().statics("part-1", job).statics.tipping.value for job in (alone, walled))
    assert other < 0.7 * one
