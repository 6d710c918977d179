"""What holds a part to the plate: the most that a pull, a push and warp have asked of it."""

from __future__ import annotations

import numpy as np
import pytest
from gripped import tips

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.overhang.detect import detect
from lean_trellis.core.strength.actions import Actions
from lean_trellis.core.strength.bond import Bond, bonded
from lean_trellis.core.strength.growth import stages
from lean_trellis.core.strength.plate_hold import PlateHold
from lean_trellis.core.strength.sharing import Holdings

ACTIONS = Actions("extrusion", 30.0, 2000.0, 2.0, warp=2.0, bond_depth=100.0)
SIZE = (120.0, 24.0, 12.0)


def ground(*, feet: Bond | None = None, actions: Actions = ACTIONS) -> PlateHold:
    mesh = box(SIZE)
    overhangs = detect(build_topology(mesh), mesh, critical_angle=45.0)
    return PlateHold(overhangs, Bond() if feet is None else feet, np.zeros((0, 2)), np.eye(3), np.zeros(3), actions)


def take(held: PlateHold, force, at, level: float) -> None:
    load = np.concatenate([force, np.cross(at, force)])
    held.take(load[None], force[None], at[None], np.array([level]))


def test_an_even_pull_asks_its_share_of_the_bond_and_the_most_is_kept():
    held = ground()
    middle = np.array([60.0, 12.0, 12.0])
    for pull, level in ((576.0, 4.0), (1152.0, 8.0), (100.0, 12.0)):
        take(held, np.array([0, 0, pull]), middle, level)
    assert held.pull.value == pytest.approx(1152 / (2880 * 2.0), rel=0.01)
    assert held.pull.level == 8.0
    assert held.tipping.value == pytest.approx(1152 / (2880 * 2.0), rel=0.01), "half of it lifts about each edge"


def test_a_push_tips_by_its_height():
    held = ground()
    push, at = np.array([0.0, 50.0, 0.0]), np.array([60.0, 12.0, 12.0])
    take(held, push, at, 12.0)
    assert held.tipping.value == pytest.approx(50 * 12 / (2 * 2880 * 12), rel=0.01)
    assert held.tipping.at_mm == pytest.approx((60.0, 24.0, 0.0))


def test_warp_is_held_by_what_lies_below_and_by_a_brim_beside():
    body = list(stages(box(SIZE), np.zeros((0, 3))))[-1]
    x, y = np.meshgrid(np.arange(-7.5, 128, 1.0), np.arange(-7.5, 32, 1.0))
    beside = (x < 0) | (x > 120) | (y < 0) | (y > 24)
    brim = Bond(np.column_stack([x[beside], y[beside], np.zeros(int(beside.sum()))]), np.ones(int(beside.sum())))
    used = []
    for feet in (Bond(), brim):
        held = ground(feet=feet)
        springs = bonded(held.rests, np.eye(3), 2000.0)
        held.curl([body], Holdings.of([np.arange(len(springs))]), springs, tips([[0, 0, 1.0]]).only(np.zeros(0, int)))
        used.append(held.warp.value)
    assert 0 < used[1] < 0.6 * used[0]
    none = ground(actions=Actions("extrusion", 30.0, 2000.0, 2.0))
    springs = bonded(none.rests, np.eye(3), 2000.0)
    none.curl([body], Holdings.of([np.arange(len(springs))]), springs, tips([[0, 0, 1.0]]).only(np.zeros(0, int)))
    assert none.warp.value == 0
