"""Pieces that walls come off in."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from panel_requests import request_for

from lean_trellis.core.mesh.primitives import to_manifold, wavy_plate
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.supports.panels.lattice import generate_lattice
from lean_trellis.core.supports.panels.parameters import LatticeParameters


@pytest.mark.parametrize(("thickness", "turn"), [(0.2, 33), (0.4, 0)])
@pytest.mark.parametrize(("rims", "cells"), [(1, (1.5, 1.5)), (3, (0, 0)), (0, (2.0, 0)), (2, (0, 1.7))])
def test_no_piece_is_larger_than_asked_when_the_solids_are_united_and_parted(thickness, turn, rims, cells):
    parameters = LatticeParameters(thickness=thickness, rim_walls=rims, cell_along=cells[0], cell_across=cells[1],
                                   turn=turn, largest_piece=9, cut_width=0.3, open_share=0.3)  # fmt: skip
    panels = generate_lattice(request_for(wavy_plate(30, 20), parameters))
    pieces = to_manifold(united([panels.mesh])).decompose()
    sizes = []
    for piece in pieces:
        corners = np.asarray(piece.to_mesh().vert_properties)[:, :2]
        sizes.append(float(np.hypot(*np.ptp(corners, axis=0))) if len(corners) < 4 else _diameter(corners))
    assert max(sizes) <= 9 + 1e-3
    assert panels.piece_count == pytest.approx(len(pieces), abs=0.15 * len(pieces) + 2)
    assert panels.piece_sizes_mm.max() <= 9 + 1e-6


def _diameter(places: np.ndarray) -> float:
    hull = shapely.get_coordinates(shapely.convex_hull(shapely.multipoints(places)))
    return float(np.hypot(*(hull[:, None] - hull[None]).reshape(-1, 2).T).max())
