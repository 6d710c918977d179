"""Where parts lie within walls: in the middle, and at either side of thick ones."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import Pose
from lean_trellis.core.supports.common.obstacle import Obstacle
from lean_trellis.core.supports.panels.clearance import slabs_met
from lean_trellis.core.supports.panels.panels import Columns, Slabs


def wall(bites=False, depth=0.0):
    """One slab from x = 0 to 2, from the plate up to 10; where it bites, by that depth."""
    across = np.array([(0.0, -1), (0, -1)])
    columns = Columns(
        np.array([(0.0, 0), (2, 0)]), across, np.zeros((2, 2)), np.zeros((2, 2)), np.full(2, depth), np.zeros(2)
    )
    marks = np.array([bites])
    number = np.array([0])
    return columns, Slabs(
        number, number + 1, np.array([(0.0, 0.0)]), np.array([(10.0, 10.0)]), number, marks, np.array([False])
    )


def needle(y: float, low: float = 2.0, high: float = 4.0) -> Obstacle:
    """A thin part across the wall at x = 1, 0.1 wide about y."""
    mesh = box((0.6, 0.1, high - low))
    pose = Pose(x=1.0, y=y, build_offset=low)
    return Obstacle(RayTree(mesh), pose, pose.applied(mesh))


@pytest.mark.parametrize("thickness", [0.0, 1.0, 2.0])
def test_what_lies_in_the_middle_is_met_however_thick_the_wall_is(thickness):
    assert slabs_met(*wall(), [needle(0.0)], thickness, [0.5]).tolist() == [True]


@pytest.mark.parametrize("side", [-1, 1])
def test_what_lies_at_a_side_is_met_by_thick_walls_alone(side):
    beside = needle(side * 0.49)
    assert slabs_met(*wall(), [beside], 1.0, [0.5]).tolist() == [True]
    assert slabs_met(*wall(), [beside], 0.0, [0.5]).tolist() == [False]


def test_it_is_looked_for_at_the_shares_of_the_length_that_are_given():
    assert slabs_met(*wall(), [needle(0.0)], 0.0, [0.1]).tolist() == [False]
    assert slabs_met(*wall(), [needle(0.0)], 0.0, [0.1, 0.5]).tolist() == [True]


def test_a_bite_may_lie_in_the_part_and_no_more():
    above = needle(0.0, low=9.7, high=12.0)
    assert slabs_met(*wall(bites=True, depth=0.3), [above], 0.0, [0.5]).tolist() == [False]
    assert slabs_met(*wall(bites=True, depth=0.1), [above], 0.0, [0.5]).tolist() == [True]
    assert slabs_met(*wall(depth=0.3), [above], 0.0, [0.5]).tolist() == [True]
