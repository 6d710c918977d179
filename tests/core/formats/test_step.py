"""STEP."""

from __future__ import annotations

import numpy as np
import pytest
from mesh_files import CLAMP

from lean_trellis.core.errors import Cancelled, FormatError
from lean_trellis.core.formats import read_bodies
from lean_trellis.core.mesh.health import examine_mesh
from lean_trellis.core.progress import CountingWatch


def test_a_step_assembly_becomes_named_bodies_in_their_places():
    jaw, pin = read_bodies(CLAMP, tolerance_mm=0.01)
    assert (jaw.name, pin.name) == ("Jaw", "Pin")
    assert jaw.mesh.volume == pytest.approx(6000, rel=1e-5)
    np.testing.assert_allclose(pin.mesh.bounds[:, 2], [15, 55], atol=1e-3)
    assert examine_mesh(jaw.mesh).is_sound
    assert examine_mesh(pin.mesh).is_sound
    assert pin.tolerance_mm == 0.01
    assert pin.mesh.volume == pytest.approx(np.pi * 25 * 40, rel=5e-3)


def test_a_finer_tolerance_gives_more_triangles_and_a_truer_volume():
    coarse, fine = (read_bodies(CLAMP, tolerance_mm=tolerance)[1] for tolerance in (0.5, 0.001))
    true = np.pi * 25 * 40
    assert fine.triangles_read > 2 * coarse.triangles_read
    assert abs(fine.mesh.volume - true) < 0.2 * abs(coarse.mesh.volume - true)


def test_tessellating_can_be_cancelled():
    with pytest.raises(Cancelled):
        read_bodies(CLAMP, watch=CountingWatch(cancel_after=0))


def test_a_tolerance_out_of_range_is_refused():
    with pytest.raises(FormatError, match="cannot be tessellated"):
        read_bodies(CLAMP, tolerance_mm=50)
