"""`warp`: long ends that curl up, and what keeps them down."""

from __future__ import annotations

from dataclasses import replace

import pytest
from checked_parts import job_of, supported, the_finding

from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.checks.trying import tried_cures
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.primitives import box, cylinder
from lean_trellis.core.shop.material import Constant


def on_filament(library, material: str, size: tuple[float, float, float]) -> Job:
    shop = library.machine("filament-320"), library.material(material)
    return job_of(shop, box(size), offset=0.0)


def used(job: Job) -> float:
    return Pipeline().statics("part-1", job).statics.warp.value


def warped(job: Job) -> list[Finding]:
    return [finding for finding in Pipeline().findings(job) if finding.code == "warp"]


def with_constants(job: Job, **values: float) -> Job:
    constants = dict(job.material.constants)
    for key, value in values.items():
        constants[key] = Constant(value=value, unit="MPa", source="coupon")
    return replace(job, material=job.material.model_copy(update={"constants": constants, "processes": ()}))


def test_a_long_high_bar_is_a_caution_while_short_and_low_ones_are_not(library):
    assert [finding.severity for finding in warped(on_filament(library, "abs", (200, 30, 20)))] == ["caution"]
    assert not warped(on_filament(library, "abs", (30, 30, 20)))
    assert not warped(on_filament(library, "abs", (200, 30, 3)))
    assert not warped(on_filament(library, "pla", (200, 30, 20)))


def test_just_inside_and_just_outside_and_a_stop_once_it_is_measured(library):
    job = on_filament(library, "abs", (120, 30, 20))
    stress = job.material.constants["warp_stress"].value / used(job)
    for wanted, count in ((0.79, 0), (0.82, 1), (1.02, 1)):
        assert len(warped(with_constants(job, warp_stress=stress * wanted))) == count, wanted
    measured = {"corner_lift": 1.5, "bond_depth": 100.0, "softening_temperature": 105.0, "chamber_temperature": 70.0}
    (over,) = warped(with_constants(job, warp_stress=stress * 1.02, **measured))
    (under,) = warped(with_constants(job, warp_stress=stress * 0.98, **measured))
    assert (over.severity, under.severity) == ("stop", "caution")


def test_it_is_found_at_an_end_with_its_constants_and_mended_by_a_brim(library):
    job = on_filament(library, "abs", (200, 30, 20))
    finding = the_finding(job, "warp")
    low, high = Pipeline().placed(job.parts[0]).bounds
    assert finding.at_mm is not None
    assert min(finding.at_mm[0] - low[0], high[0] - finding.at_mm[0]) < 12
    assert "warp stress 4.5 MPa (assumed); softening temperature 105 °C (handbook" in finding.source
    mended = [cure for cure in finding.cures if cure.change is not None]
    assert [cure.words for cure in mended] == ["Add a brim", "Add pads at its corners"]
    for cure in mended:
        healed = cure.change.edit(job, Pipeline()).job
        assert not warped(healed), cure.words
        assert all(found.severity != "stop" for found in Pipeline().findings(healed))


def test_a_raft_that_is_there_gets_a_brim_or_pads(library):
    job = on_filament(library, "abs", (200, 30, 20))
    job = edits.set_build_offset(supported(job, "raft-rectangle", margin=0.0), ["part-1"], 0.8).job
    finding = the_finding(job, "warp")
    mended = {cure.words: cure for cure in finding.cures if cure.change is not None}
    assert list(mended) == ["Set brim width to 8 mm", "Set corner pads to 16 mm"]
    for cure in tried_cures(finding, job, Pipeline()):
        if cure.change is not None:
            assert used(cure.change.edit(job, Pipeline()).job) < 0.8 < used(job), cure.words


def test_a_warm_chamber_warps_less_in_proportion_to_what_is_left_to_cool(library):
    job = on_filament(library, "abs", (120, 30, 20))
    open_air = replace(job, machine=job.machine.model_copy(update={"chamber_most": None}))
    lukewarm = replace(job, machine=job.machine.model_copy(update={"chamber_most": 50.0}))
    assert used(job) / used(open_air) == pytest.approx((105 - 70) / (105 - 23))
    assert used(lukewarm) / used(open_air) == pytest.approx((105 - 50) / (105 - 23))


def test_in_metal_the_contacts_hold_it_and_a_vat_knows_no_warp(library, metal):
    long, short = (supported(job_of(metal, box((x, 20, 40))), "bars-metal") for x in (100, 25))
    assert used(long) > 0.6 > 0.5 > used(short) > 0
    vat = job_of((library.machine("vat-150"), library.material("resin-model")), cylinder(20, 10), offset=0.0)
    assert used(vat) == 0
