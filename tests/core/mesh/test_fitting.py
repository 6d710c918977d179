"""A revised mesh on the one before: found back wherever it was moved to, and left where it lies well."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from lean_trellis.core.mesh.fitting import best_fit, far_faces, spread_over
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.uniting import united

BEFORE = united([box((40, 20, 3)), box((4, 20, 30)), box((13, 10, 3), corner=(-1, 0, 23)),
                 box((5, 5, 8), corner=(30, 12, 2))])  # fmt: skip
AFTER = united([BEFORE, box((6, 6, 6), corner=(12, 3, 2))])


def back_at(moved: Mesh) -> float:
    fit = best_fit(BEFORE, moved)
    assert fit.is_moved
    return float(np.abs(moved.moved(fit.turn, fit.shift).vertices - AFTER.vertices).max())


def test_a_mesh_that_lies_well_is_left_where_it_is():
    for mesh in (BEFORE, AFTER):
        fit = best_fit(BEFORE, mesh)
        assert not fit.is_moved
        assert (fit.turn == np.eye(3)).all()
    assert best_fit(BEFORE, BEFORE).share > best_fit(BEFORE, AFTER).share > 0.9


@settings(max_examples=8, deadline=None)
@given(st.tuples(*[st.floats(-200, 200)] * 3), st.integers(0, 23), st.tuples(*[st.floats(-4, 4)] * 3))
def test_another_origin_is_found_by_the_shape(shift, quarter, tilt):
    turn = Rotation.from_euler("xyz", tilt, degrees=True).as_matrix() @ Rotation.create_group("O")[quarter].as_matrix()
    if np.linalg.norm(shift) < 1 and np.allclose(turn, np.eye(3), atol=0.02):
        return
    assert back_at(AFTER.moved(turn, np.array(shift))) < 0.02


def test_faces_that_the_other_has_not_are_told():
    fresh, gone = far_faces(AFTER, BEFORE, 0.05), far_faces(BEFORE, AFTER, 0.05)
    block = (np.abs(AFTER.centroids[:, 2] - 6) < 2.99) & (np.abs(AFTER.centroids[:, :2] - [15, 6]).max(axis=1) < 3.01)
    assert (fresh >= block).all()
    assert AFTER.areas[fresh & ~block].sum() < 0.05 * AFTER.areas.sum()
    assert BEFORE.areas[gone].sum() < 0.05 * BEFORE.areas.sum()
    raised = AFTER.moved(np.eye(3), np.array([0, 0, 0.2]))
    flat = np.abs(AFTER.normals[:, 2]) > 0.9
    assert far_faces(raised, AFTER, 0.05)[flat].all()


def test_places_are_spread_by_area_and_always_the_same():
    places, normals = spread_over(BEFORE, 500)
    assert (spread_over(BEFORE, 500)[0] == places).all()
    assert places.shape == normals.shape == (500, 3)
    assert np.mean(normals[:, 2] < -0.9) == pytest.approx(BEFORE.areas[BEFORE.normals[:, 2] < -0.9].sum()
                                                         / BEFORE.areas.sum(), abs=0.03)  # fmt: skip
