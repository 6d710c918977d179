"""How much material has to be there before the first layer."""

from __future__ import annotations

import math

import pytest
from checked_parts import codes, job_of, the_finding

from lean_trellis.core.checks import not_examined
from lean_trellis.core.checks.supply import needed_grams
from lean_trellis.core.derive.layers import ESTIMATE
from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box


def needed(job):
    return needed_grams(Pipeline().graph.get(ESTIMATE, None, job), job)[0]


def test_a_bed_is_filled_over_the_whole_plate_up_to_the_last_layer(library):
    job = job_of((library.machine("metal-260"), library.material("steel-316l")), box((20, 20, 10)), offset=0.0)
    assert needed(job) == pytest.approx(260 * 220 * 10 / 1000 * 7.95 * 0.58 * 1.2, rel=1e-6)


def test_a_round_bed_holds_less(library):
    job = job_of((library.machine("metal-120"), library.material("steel-316l")), box((20, 20, 10)), offset=0.0)
    assert needed(job) == pytest.approx(math.pi * 60**2 * 10 / 1000 * 7.95 * 0.58 * 1.2, rel=1e-6)


def test_a_vat_needs_what_is_built_what_is_lost_and_what_covers_the_film(library):
    material = library.material("resin-model")
    job = job_of((library.machine("vat-150"), material), box((20, 20, 10)), offset=0.0)
    loss, density = material.constants["loss"].value, material.constants["density"].value
    assert needed(job) == pytest.approx(4.0 * density * (1 + loss) + 60.0, rel=1e-6)


@pytest.mark.parametrize("machine", ["metal-260", "vat-150", "filament-320"])
def test_just_enough_and_just_too_little(library, machine):
    built_on = library.machine(machine)
    job = job_of((built_on, library.materials_for(built_on)[0]), box((20, 20, 10)), offset=0.0)
    grams = needed(job)
    assert "material_short" not in codes(edits.set_loaded(job, grams).job)
    found = the_finding(edits.set_loaded(job, 0.99 * grams).job, "material_short")
    assert found.severity == "stop"
    assert (found.value, found.limit) == (pytest.approx(0.99 * grams), pytest.approx(grams))


def test_without_an_amount_it_is_said_that_nobody_looked(library):
    job = job_of((library.machine("vat-150"), library.material("resin-model")), box((20, 20, 10)), offset=0.0)
    assert "material_short" not in codes(job)
    assert not_examined(job) == ("how much resin is loaded",)
    assert not_examined(edits.set_loaded(job, 500.0).job) == ()
