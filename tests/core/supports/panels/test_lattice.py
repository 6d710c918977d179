"""Lattices."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from manifold3d import Manifold, OpType
from panel_cases import bridge
from panel_requests import request_for

from lean_trellis.core.mesh.primitives import ball, box, from_manifold, to_manifold, wavy_plate
from lean_trellis.core.supports.panels.lattice import generate_lattice
from lean_trellis.core.supports.panels.parameters import LatticeParameters


@pytest.mark.parametrize("make", [lambda: ball(9, subdivisions=4), lambda: wavy_plate(30, 40), bridge])
@pytest.mark.parametrize("ends_on", ["below", "plate"])
def test_no_panel_passes_through_a_part_but_for_its_bite(make, ends_on):
    parameters = LatticeParameters(thickness=0.3, cell_along=1.6, cell_across=1.6, turn=17, bite_depth=0.1,
                                   ends_on=ends_on, open_share=0.3, largest_piece=12)  # fmt: skip
    request = request_for(make(), parameters)
    panels = generate_lattice(request)
    common = to_manifold(panels.mesh) ^ to_manifold(request.overhangs.mesh)
    # Tabs are counted twice where walls cross; a slope makes a tab's bite longer, never deeper.
    assert common.volume() <= 1.3 * panels.contact_area_mm2 * parameters.bite_depth + 1e-3
    assert panels.contact_area_mm2 > 5


def test_walls_end_on_the_plate_on_what_is_below_or_at_a_level():
    on_plate = generate_lattice(request_for(bridge(), LatticeParameters(ends_on="plate", cell_along=3), offset=2))
    assert on_plate.slabs.low.min() == 0 and not len(on_plate.low_tabs)
    assert set(on_plate.left_out.reasons) == {"a part is between the surface and the plate"}
    below = generate_lattice(request_for(bridge(), LatticeParameters(ends_on="below", cell_along=3), offset=2))
    assert len(below.low_tabs) and not below.left_out.reasons
    assert below.low_tabs.places[:, 2] == pytest.approx(6.0, abs=1e-4)
    level = LatticeParameters(ends_on="level", level=3, level_from="top", cell_along=3)
    hanging = generate_lattice(request_for(box((20, 10, 4)), level, offset=9))
    assert hanging.slabs.low.min() == pytest.approx(6.0)


def test_a_helix_gets_walls_under_each_of_its_floors():
    turns = np.linspace(0, 4 * np.pi, 160)
    steps = [Manifold.cube((8, 1.2, 0.8)).translate((4, -0.6, 3 * t)).rotate((0, 0, np.degrees(t))) for t in turns]
    mesh = from_manifold(Manifold.batch_boolean(steps, OpType.Add))
    panels = generate_lattice(request_for(mesh, LatticeParameters(cell_along=2, cell_across=2, inset=0.2), offset=3))
    heights = panels.tabs.places[:, 2]
    assert heights.min() < 8 and heights.max() > 35
    assert len(panels.low_tabs) > 20  # the upper floor stands on the lower one


def test_protected_surfaces_get_no_tab():
    mesh = box((20, 12, 4))
    request = request_for(mesh, LatticeParameters(cell_along=2, cell_across=2))
    under = np.flatnonzero(request.overhangs.mesh.normals[:, 2] < -0.9)
    protected = np.zeros(len(mesh.faces), np.uint8)
    protected[under[0]] = 1
    panels = generate_lattice(request_for(mesh, LatticeParameters(cell_along=2, cell_across=2), protected=protected))
    corners = request.overhangs.mesh.vertices[mesh.faces[under[0]]][:, :2]
    kept_off = shapely.Polygon(corners).buffer(-0.01)
    assert len(panels.tabs) > 10
    assert not shapely.contains_xy(kept_off, *panels.holds[:, :2].T).any()
