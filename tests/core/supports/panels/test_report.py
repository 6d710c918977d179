"""What lattices and walls tell of themselves."""

from __future__ import annotations

import numpy as np
from panel_requests import request_for

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.common.spec import ExportWish
from lean_trellis.core.supports.panels.lattice import generate_lattice
from lean_trellis.core.supports.panels.parameters import LatticeParameters
from lean_trellis.core.supports.panels.report import (
    drawn_walls,
    exported_walls,
    footprint_of_walls,
    left_out_in_words,
    shadow_of_walls,
    wall_figures,
    walls_in_words,
)


def walls_of(**values):
    return generate_lattice(request_for(box((30, 20, 4)), LatticeParameters(**values), offset=8))


def test_sheets_leave_as_they_are_and_thick_walls_as_one_solid():
    (sheets,) = exported_walls(walls_of(thickness=0), "walls", ExportWish(united=True))
    assert sheets.is_sheet
    thick = walls_of(thickness=0.6)
    (solid,) = exported_walls(thick, "walls", ExportWish(united=True))
    assert not solid.is_sheet
    assert 0 < solid.mesh.volume < thick.volume_mm3, "crossings count once"


def test_shadow_and_footprint_are_as_wide_as_the_walls_are_built():
    walls = walls_of(thickness=0.6)
    assert 0.7 * 0.6 * walls.length_mm < shadow_of_walls(walls).area < 0.6 * walls.length_mm, "crossings count once"
    on_plate = footprint_of_walls(walls)
    assert 0 < on_plate.areas.sum() <= 0.6 * walls.length_mm * 1.001
    assert len(on_plate.corners) > len(on_plate.areas)


def test_words_and_figures_say_the_same():
    walls = walls_of()
    figures = wall_figures(walls)
    assert figures["pieces"] == walls.piece_count
    assert walls_in_words(walls).splitlines()[-1] == f"largest piece {figures['largest_piece_mm']:.1f} mm"
    assert (left_out_in_words(walls) == "") == (figures["left_out_mm"] == 0)


def test_what_is_heavy_is_drawn_as_sheets_of_the_same_walls():
    walls = walls_of(thickness=0.6)
    whole, light = drawn_walls(walls, 10**6), drawn_walls(walls, 10)
    assert len(light.mesh.faces) < len(whole.mesh.faces)
    assert light.frames is not None
    assert set(np.unique(light.elements)) == set(np.unique(whole.elements))
