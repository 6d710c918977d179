"""Hollowing, drains, allowance and cut-off against closed forms; measures against what they measure."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.errors import Cancelled, EditError
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.measuring import wall_at
from lean_trellis.core.mesh.primitives import ball, box, cylinder
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.shaping import drilled, hollowed, with_allowance, with_cut_off
from lean_trellis.core.parts import rotation_about
from lean_trellis.core.progress import CountingWatch


def test_a_hollow_ball_has_the_wall_that_was_asked_for():
    solid = ball(12, subdivisions=4)
    shell = hollowed(solid, 2.0)
    assert examine_mesh(shell).is_sound
    assert examine_mesh(shell).shells == 2
    assert solid.volume - shell.volume == pytest.approx(4 / 3 * np.pi * 10**3, rel=0.02)
    tree = RayTree(shell)
    outer = np.flatnonzero(np.linalg.norm(shell.centroids, axis=1) > 11)[::37]
    walls = [wall_at(shell, tree, int(face), shell.centroids[face]) for face in outer]
    np.testing.assert_allclose(walls, 2.0, atol=0.15)


def test_a_hollow_box_keeps_its_outside_and_may_be_hollowed_again():
    solid = box((24, 18, 14))
    once = hollowed(solid, 1.5)
    assert once.volume == pytest.approx(24 * 18 * 14 - 21 * 15 * 11, rel=0.03)
    for before, shell in ((solid, once), (thick := hollowed(solid, 4.0), hollowed(thick, 1.5))):
        np.testing.assert_allclose(shell.bounds, solid.bounds)
        assert shell.volume < before.volume
        assert examine_mesh(shell).is_sound


def test_what_is_too_thin_to_be_hollow_is_refused_and_hollowing_can_be_cancelled():
    with pytest.raises(EditError, match="nowhere"):
        hollowed(box((40, 30, 3)), 2.0)
    with pytest.raises(EditError, match="no thickness"):
        hollowed(box((40, 30, 3)), 0.0)
    with pytest.raises(Cancelled):
        hollowed(ball(20), 2.0, CountingWatch(cancel_after=1))


def test_a_drain_opens_the_cavity_and_its_plug_fits():
    shell = hollowed(box((40, 30, 20)), 2.0)
    place, inwards = np.array([20.0, 15.0, 0.0]), np.array([0.0, 0.0, 1.0])
    found = drilled(shell, place, inwards, 4.0, 3.0)
    health = examine_mesh(found.mesh)
    assert health.is_sound
    assert health.shells == 1  # the cavity and the outside are one surface now
    assert shell.volume - found.mesh.volume == pytest.approx(np.pi * 4 * 2.0, rel=0.08)
    assert 3.6 < np.ptp(found.plug.bounds[:, 0]) < 4.0
    assert np.ptp(found.plug.bounds[:, 2]) == pytest.approx(3.0)
    with pytest.raises(EditError, match="meets nothing"):
        drilled(shell, np.array([200.0, 0, 0]), inwards, 4.0, 3.0)
    with pytest.raises(EditError, match="no diameter"):
        drilled(shell, place, inwards, 0.0, 3.0)


def test_allowance_thickens_a_side_by_exactly_its_amount():
    solid = box((40, 30, 20))
    top = np.flatnonzero(solid.normals[:, 2] > 0.9)
    grown = with_allowance(solid, top, 0.8)
    assert examine_mesh(grown).is_sound
    assert grown.volume == pytest.approx(40 * 30 * 20.8, rel=1e-4)
    corner = np.flatnonzero((solid.normals[:, 2] > 0.9) | (solid.normals[:, 0] > 0.9))
    np.testing.assert_allclose(with_allowance(solid, corner, 0.8).bounds[1], [40.8, 30, 20.8], atol=1e-6)
    side = np.flatnonzero(np.abs(cylinder(10, 20).normals[:, 2]) < 0.5)
    assert with_allowance(cylinder(10, 20), side, 0.5).volume == pytest.approx(cylinder(10.5, 20).volume, rel=2e-3)
    with pytest.raises(EditError, match="no allowance"):
        with_allowance(solid, top, 0.0)


@pytest.mark.parametrize("degrees", [0, 90, 35])
def test_cut_off_is_added_below_in_whichever_pose(degrees):
    solid = box((40, 30, 20))
    turn = rotation_about("x", degrees)
    grown = with_cut_off(solid, turn.T @ [0, 0, -1], 3.0, 0.04)
    assert examine_mesh(grown).is_sound
    before, after = (np.ptp((mesh.vertices @ turn.T)[:, 2]) for mesh in (solid, grown))
    assert after - before == pytest.approx(3.0, abs=1e-6)
    if degrees == 0:
        assert grown.volume == pytest.approx(40 * 30 * 23)
