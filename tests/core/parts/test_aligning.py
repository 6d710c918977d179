"""Parts turned together and set on each other."""

from __future__ import annotations

import numpy as np
import pytest
from any_parts import ANGLES, moved, part_of
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh.mesh import join
from lean_trellis.core.mesh.primitives import ball, box
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts.aligning import middle_of, room_below, turned_together
from lean_trellis.core.parts.pose import rotation_xyz


@given(ANGLES, st.floats(0, 40), st.floats(0, 40))
def test_parts_that_are_turned_together_keep_every_distance_between_them(angles, low, high):
    parts = [part_of(box((20, 10, 5)), "a", x=50, y=60, build_offset=low),
             part_of(ball(4, subdivisions=1), "b", x=80, y=70, build_offset=high)]  # fmt: skip
    turned = turned_together(parts, rotation_xyz(*angles), middle_of(parts))
    before, after = (np.concatenate([p.placed.vertices for p in found]) for found in (parts, turned))
    for row in (0, 5, 9):
        np.testing.assert_allclose(
            np.linalg.norm(after - after[row], axis=1), np.linalg.norm(before - before[row], axis=1), atol=1e-7
        )
    assert min(p.pose.build_offset for p in turned) == pytest.approx(min(low, high))


@given(st.floats(-6, 6), st.floats(-6, 6), st.floats(0.5, 30))
def test_the_room_below_a_ball_over_a_plate_is_what_geometry_says(dx, dy, gap):
    lower = box((30, 30, 4))
    upper = moved(ball(5, subdivisions=3), 15 + dx, 15 + dy, 4 + 5 + gap)
    room = room_below(upper, lower, RayTree(lower), RayTree(upper))
    assert room == pytest.approx(float(upper.bounds[0, 2]) - 4, abs=2e-3)


def test_the_room_is_negative_for_a_part_that_is_inside_and_looks_at_undersides():
    lower = box((30, 30, 4))
    upper = moved(box((5, 5, 5)), 10, 10, 3)
    assert room_below(upper, lower, RayTree(lower), RayTree(upper)) == pytest.approx(-1, abs=1e-3)
    arch = join([box((4, 30, 20)), moved(box((4, 30, 20)), 26, 0, 0), moved(box((30, 30, 3)), 0, 0, 20)])
    under = moved(box((6, 6, 8)), 12, 12, 0)
    assert room_below(moved(arch, 0, 0, 5), under, RayTree(under), RayTree(moved(arch, 0, 0, 5))) == pytest.approx(
        17, abs=1e-3
    )
