"""Values of panels."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import ParameterError
from lean_trellis.core.supports.common.parameters import validated
from lean_trellis.core.supports.panels.parameters import LatticeParameters


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"rim_walls": 0, "cell_along": 0, "cell_across": 0}, "no rim walls and no cells"),
        ({"thickness": 2.0, "cell_along": 1.5}, "as thick as the cells"),
        ({"largest_piece": 1.5}, "hold no cell"),
        ({"open_share": 0.3, "rib": 6.0}, "no rib"),
        ({"open_share": 0.3, "rib": 4.0, "cell_along": 1.0, "cell_across": 1.0}, "no rib"),
        ({"largest_piece": 12, "cut_width": 5}, "a third of the largest piece"),
        ({"rim_walls": 3, "thickness": 0.6, "rim_spacing": 0.5}, "as thick as they lie apart"),
        ({"cell_along": 0.1}, "no cells"),
    ],
)
def test_nonsense_is_refused_in_words(values, words):
    with pytest.raises(ParameterError, match=words):
        validated(LatticeParameters, values)
