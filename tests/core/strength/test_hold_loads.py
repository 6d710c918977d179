"""Thermal lift along rims: which edges lift, and who bears it."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.overhang.rim import FADING, FREE, WALL, Rim
from lean_trellis.core.strength.hold_loads import lift_loads, peel_stresses


def rim_of(kinds, regions=None) -> Rim:
    """A square of 4 mm sides, an edge of each kind in turn."""
    corners = np.array([[0, 0, 5], [4, 0, 5], [4, 4, 5], [0, 4, 5]], float)
    regions = np.zeros(4, np.int32) if regions is None else np.array(regions, np.int32)
    return Rim(
        corners, np.roll(corners, -1, axis=0), regions, np.array(kinds, np.uint8), np.zeros(4, bool),
        np.arange(4), np.roll(np.arange(4), -1),
    )  # fmt: skip


ONE = np.array([[2.0, 2.0, 5.0]])


@pytest.mark.parametrize(
    ("kinds", "length"),
    [((FREE,) * 4, 16), ((FREE, WALL, FREE, WALL), 8), ((WALL,) * 4, 0), ((FREE, FADING, WALL, FADING), 12)],
)
def test_edges_at_walls_do_not_lift(kinds, length):
    loads = lift_loads(rim_of(kinds), ONE, np.zeros(1, np.int32), 1.5)
    assert loads.sum() == pytest.approx(1.5 * length)


def test_each_stretch_of_the_rim_is_borne_by_the_nearest_hold():
    holds = np.array([[1.0, 2.0, 5.0], [3.0, 2.0, 5.0]])
    loads = lift_loads(rim_of((FREE,) * 4), holds, np.zeros(2, np.int32), 1.0)
    assert loads == pytest.approx([8.0, 8.0])


def test_a_hold_bears_only_the_rim_of_its_own_region():
    holds = np.array([[0.0, 0.0, 5.0], [4.0, 4.0, 5.0]])
    loads = lift_loads(rim_of((FREE,) * 4, [0, 0, 0, 1]), holds, np.array([0, 1], np.int32), 1.0)
    assert loads == pytest.approx([12.0, 4.0])


def test_without_holds_nothing_is_borne():
    assert not len(lift_loads(rim_of((FREE,) * 4), np.zeros((0, 3)), np.zeros(0, np.int32), 1.0))


def test_the_peel_is_borne_by_area_and_by_the_plate():
    mesh = box((4.0, 4.0, 2.0))
    lifted = type(mesh)(mesh.vertices + [0, 0, 5 - mesh.bounds[0, 2]], mesh.faces)
    holds = np.array([[0.0, 0.0, 5.0], [1.0, 0.0, 5.0]])
    stresses = peel_stresses(lifted, holds, np.array([1.0, 3.0]), 0.0, 0.2)
    assert stresses == pytest.approx([0.2 * 16 / 4] * 2)
    rests = peel_stresses(lifted, holds, np.array([1.0, 3.0]), 12.0, 0.2)
    assert rests == pytest.approx([0.2 * 16 / 16] * 2)
    assert not peel_stresses(lifted, holds, np.array([1.0, 3.0]), 0.0, 0.0).any()
