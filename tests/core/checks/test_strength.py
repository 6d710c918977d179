"""`held_too_little`, `plate_hold_low`, `too_flexible`: a part just inside and one just outside of each limit."""

from __future__ import annotations

from dataclasses import replace

import pytest
from checked_parts import job_of, supported, the_finding

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.job import edits
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.primitives import box, cylinder
from lean_trellis.core.shop.material import Constant

CODES = ("held_too_little", "plate_hold_low", "too_flexible")


def found(job: Job) -> dict[str, str]:
    return {entry.code: entry.severity for entry in Pipeline().findings(job) if entry.code in CODES}


def with_constants(job: Job, **values: float) -> Job:
    constants = dict(job.material.constants)
    for key, value in values.items():
        unit = constants[key].unit if key in constants else "MPa"
        constants[key] = Constant(value=value, unit=unit, source="coupon")
    return replace(job, material=job.material.model_copy(update={"constants": constants, "processes": ()}))


@pytest.fixture(scope="module")
def vat_slab(library) -> Job:
    shop = library.machine("vat-200"), library.material("resin-model")
    return supported(job_of(shop, box((30, 20, 6)), offset=6.0), "bars-resin-regular")


def test_more_load_than_strength_is_a_stop_nearly_as_much_a_caution_and_less_nothing(vat_slab):
    used = Pipeline().figures("part-1", vat_slab)["support-1"].used.max()
    strength = vat_slab.material.constants["strength"].value
    for wanted, severity in ((0.79, None), (0.82, "caution"), (0.99, "caution"), (1.02, "stop"), (4.0, "stop")):
        job = with_constants(vat_slab, strength=strength * used / wanted, plate_bond=50.0)
        assert found(job).get("held_too_little") == severity, wanted


def test_a_finding_says_where_by_how_much_and_what_would_help(vat_slab):
    job = with_constants(vat_slab, strength=1.0, plate_bond=50.0)
    finding = the_finding(job, "held_too_little")
    assert finding.value > finding.limit == 1.0
    assert "x its strength by stress at the contact" in finding.message
    assert "coupon" in finding.source
    assert finding.support_id == "support-1"
    assert finding.at_mm is not None
    assert finding.at_mm[2] == pytest.approx(6.0, abs=0.3)
    for cure in finding.cures:
        if cure.change is not None:
            healed = cure.change.edit(job, Pipeline()).job
            figures = Pipeline().figures("part-1", healed)["support-1"]
            assert figures.used.max() < finding.value, cure.words


def test_a_lever_over_one_row_of_contacts_is_a_stop(library):
    """A slab on the bars of one edge only: in the vat its own peel breaks them off, by the lever of its middle."""
    shop = library.machine("vat-200"), library.material("resin-model")
    job = supported(job_of(shop, box((18, 30, 8)), offset=6.0), "bars-resin-regular")
    low = job.parts[0].mesh.bounds[0]
    places = [(float(low[0] + x), float(low[1] + y), float(low[2])) for x in range(4, 19) for y in range(31)]
    from lean_trellis.core.supports.common.support import HandWork, Removed

    gone = HandWork(removed=tuple(Removed(place, 1.4) for place in places))
    row = replace(job, supports=(replace(job.supports[0], hand=gone),))
    contacts = Pipeline().bars(row.supports[0], row).holds
    assert 3 < len(contacts) < 30
    finding = the_finding(row, "held_too_little")
    assert finding.severity == "stop"
    assert finding.value > 5
    assert "held_too_little" not in found(job)


def test_what_stands_on_too_little_comes_off_the_plate(library):
    shop = library.machine("filament-320"), library.material("pla")
    tall = job_of(shop, cylinder(2.0, 60.0), offset=0.0)
    bond = Pipeline().statics("part-1", tall).statics.plate.value
    held = with_constants(tall, plate_bond=Pipeline().statics("part-1", tall).actions.bond)
    for wanted, severity in ((0.75, None), (0.9, "caution"), (1.05, "stop")):
        job = with_constants(held, plate_bond=held.material.constants["plate_bond"].value * bond / wanted)
        assert found(job).get("plate_hold_low") == severity, wanted


@pytest.mark.parametrize(("share", "is_found"), [(0.97, False), (1.03, True)])
def test_a_slender_fin_gives_way_by_more_than_a_layer(metal, share, is_found):
    job = edits.turn_part(job_of(metal, box((0.8, 20, 40)), offset=0.0), "part-1", "z", 0).job
    gives = Pipeline().statics("part-1", job).statics.deflection.value
    push = job.material.constants["recoater_push"].value * job.layer_height / gives * share
    job = with_constants(job, recoater_push=push, plate_bond=500.0)
    assert (found(job).get("too_flexible") == "caution") == is_found, "assumed constants beside it: no stop"
    measured = {key: one.value for key, one in job.material.constants.items()}
    measured |= {"lift_depth": 4.0, "corner_lift": 1.5, "most_deflection": 1.0}
    assert (found(with_constants(job, **measured)).get("too_flexible") == "stop") == is_found


def test_bare_parts_and_belts_are_not_judged_by_what_does_not_stand_there(library, metal):
    assert "held_too_little" not in found(job_of(metal, box((20, 20, 5)), offset=4.0))
    shop = library.machine("belt-260"), library.material("pla")
    belt = job_of(shop, box((2, 20, 40)), offset=0.0)
    assert not {"plate_hold_low", "too_flexible"} & set(found(belt))
