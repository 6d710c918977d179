"""Parts: their box, copies, another size, another mesh."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from any_parts import part_of
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.parts import Size, copied, with_nominal, with_size
from lean_trellis.core.parts.pose import rotation_xyz


@given(st.tuples(*[st.floats(-180, 180)] * 3))
def test_the_box_is_that_of_the_placed_mesh(angles):
    part = part_of(box((20, 14, 6)), x=40, y=30, build_offset=5)
    part = replace(part, pose=part.pose.turned(rotation_xyz(*angles)))
    np.testing.assert_allclose(part.bounds(), part.placed.bounds, atol=1e-9)


def test_a_part_of_nothing_has_an_empty_box():
    assert part_of(Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))).bounds().tolist() == [[0, 0, 0]] * 2


def test_a_copy_is_in_place_under_its_own_id():
    part = part_of(ball(5), x=9)
    other = copied(part, "part-2", "Ball (2)")
    assert (other.id, other.name, other.pose, other.mesh) == ("part-2", "Ball (2)", part.pose, part.mesh)


def test_another_size_keeps_middle_and_offset_and_none_forgets_the_nominal_mesh():
    part = part_of(box((20, 14, 6)), x=40, y=30, build_offset=5)
    larger = with_size(part, Size(scale=(2.0, 1.0, 1.0)))
    assert np.ptp(larger.bounds(), axis=0) == pytest.approx([40, 14, 6])
    assert larger.bounds().mean(axis=0)[:2] == pytest.approx([40, 30])
    assert larger.bounds()[0, 2] == pytest.approx(5)
    assert larger.nominal_mesh is part.mesh
    back = with_size(larger, Size())
    assert back.nominal is None
    assert back.mesh is part.mesh


@pytest.mark.parametrize("keeps_place", [True, False])
def test_a_mended_mesh_stays_where_it_is_and_a_revised_one_keeps_its_middle(keeps_place):
    part = part_of(box((20, 14, 6)), x=40, y=30, build_offset=5)
    longer = box((26, 14, 6), corner=tuple(part.mesh.bounds[0]))
    changed = with_nominal(part, longer, keeps_place=keeps_place)
    left = changed.bounds()[0, 0]
    assert left == pytest.approx(30 if keeps_place else 27)
    assert changed.bounds()[0, 2] == pytest.approx(5)
