"""`thin_wall` and `area_jump`: just inside and just outside their limits."""

from __future__ import annotations

import pytest

from lean_trellis.core.derive.checks import FINDINGS
from lean_trellis.core.derive.graph import Graph
from lean_trellis.core.formats import Body
from lean_trellis.core.job import edits, new_job
from lean_trellis.core.mesh.primitives import box, from_manifold, to_manifold


def found(library, machine, material, mesh, code, offset=5.0):
    job = edits.add_bodies(new_job(library.machine(machine), library.material(material)), [Body("one", mesh, 1)]).job
    job = edits.set_build_offset(job, [job.parts[0].id], offset).job
    return [finding for finding in Graph().get(FINDINGS, None, job) if finding.code == code]


def plate_with_fin(width):
    return from_manifold(to_manifold(box((12, 20, 4))) + to_manifold(box((width, 16, 8), corner=(5, 2, 3))))


@pytest.mark.parametrize(
    ("machine", "material", "least"),
    [("metal-260", "steel-316l", 0.35), ("vat-150", "resin-model", 0.3), ("filament-320", "pla", 0.45)],
)
def test_a_thin_wall_is_a_caution_and_a_stop_where_it_will_be_missing(library, machine, material, least):
    assert found(library, machine, material, plate_with_fin(least * 1.05), "thin_wall") == []
    (caution,) = found(library, machine, material, plate_with_fin(least * 0.9), "thin_wall")
    assert caution.severity == "caution"
    assert caution.limit == least
    assert caution.value == pytest.approx(least * 0.9, rel=0.03)
    assert caution.at_mm[2] == pytest.approx(5 + 7.5, abs=1)
    (stop,) = found(library, machine, material, plate_with_fin(least * 0.3), "thin_wall")
    assert stop.severity == "stop"


def test_the_limit_of_a_thin_wall_says_where_it_is_from(library):
    steel = library.material("steel-316l")
    measured = steel.constants["least_wall"].model_copy(update={"source": "a coupon of ours"})
    known = steel.model_copy(update={"constants": steel.constants | {"least_wall": measured}})
    unknown = steel.model_copy(update={"constants": {k: v for k, v in steel.constants.items() if k != "least_wall"}})
    fin = Body("one", plate_with_fin(0.3), 1)
    sources = []
    for material in (known, unknown):
        job = edits.add_bodies(new_job(library.machine("metal-260"), material), [fin]).job
        sources += [one.source for one in Graph().get(FINDINGS, None, job) if one.code == "thin_wall"]
    assert sources == ["a coupon of ours", "assumed"]


def test_a_flat_side_that_begins_all_at_once_is_a_caution_in_a_vat_and_not_in_extrusion(library):
    within, beyond = box((19.5, 20, 5)), box((20.5, 20, 5))
    assert found(library, "vat-150", "resin-model", within, "area_jump") == []
    (finding,) = found(library, "vat-150", "resin-model", beyond, "area_jump")
    assert (finding.value, finding.limit, finding.severity) == (pytest.approx(410), 400, "caution")
    assert found(library, "vat-150", "resin-model", beyond, "area_jump", offset=0.0) == [], "the plate holds its layer"
    assert found(library, "filament-320", "pla", beyond, "area_jump") == []


def test_a_part_that_grows_by_less_than_it_was_is_no_jump(library):
    step = from_manifold(to_manifold(box((40, 30, 4))) + to_manifold(box((60, 30, 4), corner=(-10, 0, 3))))
    (only,) = found(library, "metal-260", "steel-316l", step, "area_jump")
    assert "from 0 to 1,200" in only.message
    assert found(library, "metal-260", "steel-316l", step, "area_jump", offset=0.0) == []
