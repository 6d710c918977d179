"""What stands in the gaps of a stack."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.filling import separator_under, spacer_between
from lean_trellis.core.parts.stacking import Separator, Spacer

UPPER = box((20, 10, 4), corner=(5, 5, 9))


@pytest.mark.parametrize(("inset", "area"), [(0.0, 200.0), (2.0, 16 * 6), (-1.0, 22 * 12), (6.0, 0.0)])
def test_a_separator_lies_right_under_the_part_drawn_in_by_its_inset(library, inset, area):
    made = separator_under(UPPER, Separator(library.material("petg"), inset, 3), 0.2)
    assert made.volume == pytest.approx(area * 0.6)
    if area:
        assert made.bounds[:, 2] == pytest.approx([8.4, 9.0])


def test_a_separator_under_an_open_mesh_is_refused_with_what_to_do(library):
    opened = Mesh(UPPER.vertices, UPPER.faces[1:])
    with pytest.raises(EditError, match="mend its mesh first"):
        separator_under(opened, Separator(library.material("petg"), 0.0, 2), 0.2)


def test_a_spacer_stands_on_the_lower_part_under_the_middle_of_the_upper_one():
    lower = box((30, 30, 5))
    made = spacer_between(lower, UPPER, Spacer("block", box((2, 2, 3), corner=(100, 0, 50))))
    assert made.bounds[0, 2] == pytest.approx(lower.bounds[1, 2])
    np.testing.assert_allclose(made.middle[:2], UPPER.middle[:2])
