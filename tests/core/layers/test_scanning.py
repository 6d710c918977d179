"""Scan lines: what they cover is what is filled."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trellis.core.layers import LayerPlan, layered
from lean_trellis.core.layers.scanning import Rings, scanned
from lean_trellis.core.layers.ways import LayerWays
from lean_trellis.core.mesh.primitives import ball
from lean_trellis.core.mesh.topology import build_topology

SQUARE = np.array([[0, 0], [10, 0], [10, 10], [0, 10.0]])


def rings(*ways):
    return Rings.of_ways(LayerWays.of_rings(list(ways), np.zeros(len(ways))))


@pytest.mark.parametrize("angle", [0.0, 30.0, 90.0, 211.0])
@pytest.mark.parametrize(
    ("ways", "area"),
    [
        ((SQUARE,), 100.0),
        ((SQUARE, SQUARE + 5), 175.0),
        ((SQUARE, (SQUARE * 0.4 + 2)[::-1]), 84.0),
        ((SQUARE, SQUARE * 0.4 + 2), 100.0),
        ((SQUARE, SQUARE), 100.0),
    ],
)
def test_lines_cover_what_is_filled_once(angle, ways, area):
    lines = scanned(rings(*ways), 0.02, np.array([angle]))
    assert lines.lengths.sum() * 0.02 == pytest.approx(area, rel=2e-3)


@given(st.floats(0, 360), st.floats(0.3, 2.0))
def test_lines_lie_on_their_rows_and_run_to_and_fro(angle, spacing):
    lines = scanned(rings(SQUARE - 3), spacing, np.array([angle]))
    along = np.array([np.cos(np.radians(angle)), np.sin(np.radians(angle))])
    across = np.array([-along[1], along[0]])
    for places in (lines.begins, lines.ends):
        np.testing.assert_allclose(places @ across, (lines.rows + 0.5) * spacing, atol=1e-9)
    signs = np.sign((lines.ends - lines.begins) @ along)
    np.testing.assert_array_equal(signs, np.where(lines.rows % 2 == 1, -1, 1))


def test_all_layers_of_a_ball_are_scanned_at_once_each_at_its_angle():
    mesh = ball(8, subdivisions=4)
    body = layered(build_topology(mesh), mesh.vertices, LayerPlan(0.5))
    angles = 67.0 * np.arange(len(body.heights))
    lines = scanned(Rings.of_ways(body.filled), 0.05, angles)
    covered = np.bincount(lines.levels, lines.lengths, len(body.heights)) * 0.05
    np.testing.assert_allclose(covered, body.areas_mm2, atol=0.3)
    turned = np.degrees(np.arctan2(*(lines.ends - lines.begins).T[::-1])) - angles[lines.levels]
    np.testing.assert_allclose(np.sin(np.radians(turned)), 0, atol=1e-6)


def test_nothing_gives_no_lines():
    assert len(scanned(rings(), 0.1, np.zeros(1)).levels) == 0
