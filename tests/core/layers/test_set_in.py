"""Outlines set in: by their distance, holes widened, what vanishes left out."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.job import new_job
from lean_trellis.core.layers.beads import Beads
from lean_trellis.core.layers.laying import LaidAs
from lean_trellis.core.layers.powder import Hatching
from lean_trellis.core.layers.set_in import set_in
from lean_trellis.core.layers.ways import LayerWays
from lean_trellis.core.shop.material import Constant

SQUARE = np.array([[0.0, 0], [10, 0], [10, 10], [0, 10]])
HOLE = np.array([[4.0, 4], [4, 6], [6, 6], [6, 4]])
SPECK = np.array([[20.0, 0], [20.1, 0], [20.1, 0.1], [20, 0.1]])


def test_outlines_shrink_holes_grow_and_specks_vanish():
    ways = LayerWays.of_rings([SQUARE, HOLE, SPECK, SQUARE], np.array([0, 0, 0, 3]))
    inside = set_in(ways, 0.1)
    assert inside.levels.tolist() == [0, 0, 3]
    assert sorted(inside.areas_mm2.tolist()) == pytest.approx([-(2.2**2), 9.8**2, 9.8**2])
    assert set_in(ways, -0.1).areas_mm2.max() == pytest.approx(10.2**2)
    assert set_in(ways, 0.0) is ways
    assert len(set_in(LayerWays.of_rings([], np.zeros(0, np.int64)), 0.1)) == 0


def test_what_a_coupon_has_measured_sets_paths_in(library):
    constant = Constant(value=0.06, unit="mm", source="measured: one coupon")
    for machine, material in (("metal-260", "steel-316l"), ("filament-320", "pla")):
        kept = library.material(material)
        kept = kept.model_copy(update={"constants": {**kept.constants, "outline_offset": constant}})
        constants = new_job(library.machine(machine), kept).constants
        made = Hatching.of(constants, is_support=False) if machine == "metal-260" else Beads.of(constants, LaidAs())
        assert made.inset == 0.06
