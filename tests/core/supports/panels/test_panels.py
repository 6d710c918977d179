"""Lattices and walls along lines: areas, solids, pieces, openings, what they stand on, work by hand."""

from __future__ import annotations

import pytest
from panel_requests import request_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.panels.lattice import generate_lattice
from lean_trellis.core.supports.panels.parameters import LatticeParameters


@pytest.mark.parametrize("thickness", [0.0, 0.5])
def test_as_sheets_walls_have_their_area_however_thick_they_are(thickness):
    values = LatticeParameters(thickness=thickness, cell_along=3.0, cell_across=3.0, rim_walls=1)
    panels = generate_lattice(request_for(box((18, 12, 4)), values))
    mesh, slab_of_face = panels.sheets
    assert mesh.area == pytest.approx(panels.area_mm2, rel=1e-6)
    assert len(slab_of_face) == len(mesh.faces)
