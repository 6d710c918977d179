"""Holes closed."""

from __future__ import annotations

import numpy as np
import pytest
from broken_meshes import CUBE, tube, without
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.mesh.holes import close_holes
from lean_trellis.core.mesh.mend import mend
from lean_trellis.core.mesh.primitives import ball


@given(st.sets(st.integers(0, 319), min_size=1, max_size=60))
def test_holes_of_a_ball_are_closed_with_nearly_its_volume(gone):
    whole = ball(10, subdivisions=2)
    closed = close_holes(without(whole, list(gone)))
    health = examine_mesh(closed)
    assert health.open_edges == 0
    assert not health.misoriented_edges
    if len(gone) < 8:
        assert closed.volume == pytest.approx(whole.volume, rel=0.05)


def test_a_ring_shaped_hole_stays_a_ring():
    whole = tube()
    top = np.flatnonzero(whole.normals[:, 2] > 0.9)
    closed = close_holes(without(whole, top))
    assert examine_mesh(closed).is_sound
    assert closed.volume == pytest.approx(whole.volume, rel=1e-9)


def test_a_box_without_its_top_is_closed_exactly():
    top = np.flatnonzero(CUBE.normals[:, 2] > 0.9)
    mended = mend(without(CUBE, top), "holes")
    assert mended.mesh.volume == pytest.approx(1000)
    assert mended.after.is_sound


def test_two_holes_that_meet_in_a_corner_are_both_closed():
    corner = ball(10, subdivisions=2)
    at = np.flatnonzero((corner.faces == 0).any(axis=1))
    closed = close_holes(without(corner, [at[0], at[2]]))
    assert examine_mesh(closed).open_edges == 0
