"""Figures of struts against their solids."""

from __future__ import annotations

import numpy as np
import pytest
from bar_holds import bent_bars
from bar_requests import bars_for, request_for
from sloping_parts import signed_distances, slab

from lean_trellis.core.mesh import build_topology, examine
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports import generate_bars


def test_figures_agree_with_the_solids():
    bars = bars_for(box((15, 15, 4)), sides=7)
    mesh = bars.mesh
    health = examine(build_topology(mesh))
    assert health.is_sound
    assert health.shells == len(bars)
    assert mesh.volume == pytest.approx(bars.volume_mm3)
    share = 7 / 2 * np.sin(2 * np.pi / 7)
    assert bars.contact_area_mm2 == pytest.approx(len(bars) * share * 0.25**2)
    np.testing.assert_allclose(bars.bounds()[:, 2], [0, 10.15])
    assert bars.longest_mm == pytest.approx(10.15)


def test_the_volume_of_bent_bars_is_that_of_their_solids(metal):
    bars = bent_bars(metal)
    bent = np.flatnonzero(bars.leans_deg > 1)
    assert len(bent) > 5
    assert examine(build_topology(bars.mesh)).is_sound
    assert bars.mesh.volume == pytest.approx(bars.volume_mm3, rel=1e-9)
    steps = np.linalg.norm(np.diff(bars.centres[bent], axis=1), axis=2)
    np.testing.assert_allclose(bars.lengths_mm[bent], steps.sum(axis=1))


def test_beams_end_a_radius_short_of_their_heads():
    bars = bars_for(box((12, 12, 3)), spacing=6.0)
    ends, radii = bars.beams()
    tops = ends[:, 1, 2].max()
    assert tops == pytest.approx(10.15 - 0.25)
    assert radii[ends[:, 1, 2].argmax(), 1] == pytest.approx(0.25)
    mesh, turn = slab(40.0)
    request = request_for(mesh, turn=turn, spacing=6.0)
    sloping = generate_bars(request)
    ends, radii = sloping.beams()
    last = np.isclose(radii[:, 1], 0.25) & np.isclose(radii[:, 0], 0.6)
    away = signed_distances(request.obstacles[0].placed, ends[last, 1])
    assert last.sum() == len(sloping)
    np.testing.assert_allclose(away, 0.25 - 0.15, atol=0.01)  # a ball there goes in as deep as the bite
