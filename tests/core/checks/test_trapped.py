"""`trapped`: what powder, resin and people get out of, and what not."""

from __future__ import annotations

import pytest
from checked_parts import job_of, supported

from lean_trellis.core.derive.pipeline import Pipeline
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, cylinder, from_manifold, to_manifold

CUBE = to_manifold(box((20, 20, 20)))
SHOPS = {
    "powder": ("metal-260", "steel-316l", "bars-metal"), "resin": ("vat-200", "resin-model", "bars-resin-regular"),
    "": ("filament-320", "petg", "bars-extrusion"),
}  # fmt: skip


def with_hole(radius: float | None) -> Mesh:
    solid = CUBE - to_manifold(box((14, 14, 14), corner=(3, 3, 3)))
    if radius is not None:
        solid -= to_manifold(cylinder(radius, 12.0, sides=32)).translate((10, 10, 12))
    return from_manifold(solid)


CUP = from_manifold(CUBE - to_manifold(box((14, 14, 18), corner=(3, 3, -1))))


def found(library, inside: str, mesh: Mesh, offset: float, *, with_supports: bool = False) -> list:
    machine, material, set_name = SHOPS[inside]
    job = job_of((library.machine(machine), library.material(material)), mesh, offset=offset)
    job = supported(job, set_name) if with_supports else job
    return [finding for finding in Pipeline().findings(job) if finding.code == "trapped"]


@pytest.mark.parametrize("inside", ["powder", "resin", ""])
@pytest.mark.parametrize(("radius", "severity"), [(None, "stop"), (0.7, "caution"), (1.4, None)])
def test_hollows_trap_what_the_process_fills_them_with(library, inside, radius, severity):
    findings = found(library, inside, with_hole(radius), 5.0)
    assert [finding.severity for finding in findings] == ([severity] if severity and inside else [])
    for finding in findings:
        assert f"traps {inside}" in finding.message
        assert "a drain would serve best at" in finding.cause
        assert finding.limit == 2.0
        assert finding.cures


@pytest.mark.parametrize("inside", ["powder", "resin", ""])
def test_supports_in_a_closed_hollow_are_trapped_for_good(library, inside):
    stops = [f for f in found(library, inside, with_hole(None), 5.0, with_supports=True) if f.support_id]
    assert [finding.severity for finding in stops] == ["stop"]
    assert "are inside a closed hollow" in stops[0].message
    assert stops[0].value > 0
    assert [f for f in found(library, inside, with_hole(2.5), 5.0, with_supports=True) if f.support_id] == []


@pytest.mark.parametrize(("inside", "severity"), [("powder", "caution"), ("resin", "stop")])
def test_a_cup_on_the_plate_is_closed_until_it_comes_off(library, inside, severity):
    findings = found(library, inside, CUP, 0.0, with_supports=True)
    assert [finding.severity for finding in findings] == [severity] * 2
    assert all("comes off the plate" in f.message for f in findings if not f.support_id)
    assert found(library, inside, CUP, 6.0) == []
