"""Hatch lines on surfaces."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.mesh.hatching import hatch_lines
from lean_trellis.core.mesh.primitives import ball, box


@given(st.floats(0.3, 4.0))
def test_hatch_lines_lie_on_the_surface_and_cover_it_evenly(apart):
    mesh = box((20, 14, 6))
    top = np.flatnonzero(mesh.normals[:, 2] > 0.9)
    lines = hatch_lines(mesh, top, apart, np.array([1.0, 0.4, 0.0]))
    np.testing.assert_allclose(lines[:, :, 2], 6)
    length = np.linalg.norm(lines[:, 1] - lines[:, 0], axis=1).sum()
    # Lines so far apart have together the area over their distance, but for what is cut at the rim.
    assert length * apart == pytest.approx(20 * 14, rel=0.25 if apart > 2 else 0.1)


def test_hatch_lines_of_nothing_and_of_very_much():
    mesh = ball(30, subdivisions=5)
    assert hatch_lines(mesh, np.zeros(0, np.int64), 1.0, np.array([0, 0, 1.0])).shape == (0, 2, 3)
    many = hatch_lines(mesh, np.arange(len(mesh.faces)), 1e-4, np.array([0, 0, 1.0]))
    assert 20_000 < len(many) < 120_000, "a limit keeps them drawable"
