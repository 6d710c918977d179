"""Beads: from the material, from a support's density, from a part's own values."""

from __future__ import annotations

from lean_trellis.core.layers.beads import Beads
from lean_trellis.core.layers.laying import PART, SUPPORT, LaidAs
from lean_trellis.core.parts.path_values import PathValues
from lean_trellis.core.shop.material import Constant

VALUES = {"path_width": 0.4, "loops": 3, "fill_share": 0.15, "shell_layers": 5}
CONSTANTS = {key: Constant(value=value, unit="1", source="assumed") for key, value in VALUES.items()}


def test_supports_are_as_full_as_they_say_and_parts_as_the_material_says():
    assert Beads.of(CONSTANTS, PART) == Beads(0.4, 3, 0.15, 5)
    assert Beads.of(CONSTANTS, SUPPORT) == Beads(0.4, 1, 1.0, 0)
    assert Beads.of(CONSTANTS, LaidAs(is_support=True, share=0.3)) == Beads(0.4, 1, 0.3, 0)


def test_own_values_stand_in_for_the_usual_ones_and_for_no_others():
    usual = Beads(0.4, 3, 0.15, 5)
    assert usual.with_own(PathValues()) == usual
    assert usual.with_own(PathValues(path_width=0.6)) == Beads(0.6, 3, 0.15, 5)
    assert usual.with_own(PathValues(loops=0, fill_share=0.0)) == Beads(0.4, 0, 0.0, 5)
