"""What structures of one closed mesh answer alike."""

from __future__ import annotations

import pytest

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.supports.bodies.bodies import Bodies, Grip
from lean_trellis.core.supports.common.plain import follows_nothing, footprint_of_mesh, mesh_itself, shadow_of_mesh

MADE = Bodies((box((8, 5, 3), corner=(10, 20, 0)),), "block", "blocks", Grip())


def test_shadow_and_footprint_of_a_block_are_its_lower_side():
    assert shadow_of_mesh(MADE).area == pytest.approx(40)
    assert footprint_of_mesh(MADE).areas.sum() == pytest.approx(40)
    assert mesh_itself(MADE) is MADE.mesh
    assert follows_nothing(None, ()) == ()
