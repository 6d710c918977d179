"""Figures of struts against their solids."""

from __future__ import annotations

import numpy as np
import pytest
from bar_holds import bent_bars
from bar_requests import bars_for

from lean_trellis.core.mesh import build_topology, examine
from lean_trellis.core.mesh.primitives import box


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
