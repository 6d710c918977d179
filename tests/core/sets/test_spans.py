"""Shipped values that have to agree: free spans with bridges, sets with the spans of the materials they are for."""

from __future__ import annotations

import pytest

from lean_trellis.core.sets import shipped_sets
from lean_trellis.core.shop import shipped_library
from lean_trellis.core.supports.bars.parameters import BarParameters
from lean_trellis.core.supports.panels.parameters import LatticeParameters

LIBRARY = shipped_library()
MEANT_FOR = {
    "bars-metal": ("steel-316l", "aluminium-si10mg"),
    "bars-metal-braced": ("steel-316l", "aluminium-si10mg"),
    "bars-metal-fine": ("cobalt-chrome", "titanium-64"),
    "lattice-metal": ("steel-316l", "aluminium-si10mg", "cobalt-chrome", "titanium-64"),
    "lattice-metal-light": ("steel-316l", "aluminium-si10mg", "titanium-64"),
    "bars-extrusion": ("pla", "petg", "abs", "nylon-cf"),
    "bars-extrusion-cap": ("pla", "petg", "abs", "nylon-cf"),
    "lattice-extrusion": ("pla", "petg", "abs", "nylon-cf"),
}
BRIDGING = [name for name, material in LIBRARY.materials.items() if material.detection.bridge_span > 0]


@pytest.mark.parametrize("name", BRIDGING)
def test_the_nearest_support_of_a_flat_ceiling_is_half_a_gap_away(name):
    material = LIBRARY.materials[name]
    assert material.free_span.at(0.0) <= material.detection.bridge_span / 2


def test_resin_bridges_nothing():
    assert {material.process for name, material in LIBRARY.materials.items() if name not in BRIDGING} == {"vat"}


@pytest.mark.parametrize(("name", "material"), [(name, one) for name, many in MEANT_FOR.items() for one in many])
def test_a_set_meets_the_flat_span_of_what_it_is_meant_for_by_its_own_spacing(name, material):
    """Also in the corner of free edges, which is farther by the inset's diagonal; distances are to the tip's rim."""
    p, flat = shipped_sets()[name].parameters, LIBRARY.materials[material].free_span.at(0.0)
    if isinstance(p, BarParameters):
        assert p.bound_mm + p.edge_inset * 2**0.5 - p.tip_diameter / 2 <= flat
    else:
        assert isinstance(p, LatticeParameters)
        assert max(p.cell_along, p.cell_across) / 2 <= flat


def test_openings_of_lattices_in_metal_let_powder_out():
    """Wider than a millimetre: cells less the ribs between openings."""
    for name in ("lattice-metal", "lattice-metal-light"):
        p = shipped_sets()[name].parameters
        assert isinstance(p, LatticeParameters)
        assert p.rib is not None
        assert min(p.cell_along, p.cell_across) - p.rib > 1.0


def test_chambers_and_hatches_are_a_material_s_own():
    assert {name for name, one in LIBRARY.materials.items() if "chamber_temperature" in one.constants} == {
        "abs", "nylon-cf"
    }  # fmt: skip
    metals = [one for one in LIBRARY.materials.values() if one.process == "powder_bed"]
    assert len({one.constants["hatch_speed"].value for one in metals}) == len(metals)
