"""The metal parts of the demo."""

from __future__ import annotations

import pytest

from lean_trellis.core.demo.metal_parts import exhaust_elbow, impeller, sensor_manifold, strut_bracket
from lean_trellis.core.mesh import build_topology


@pytest.mark.parametrize("make", [strut_bracket, sensor_manifold, exhaust_elbow, impeller])
def test_each_is_one_closed_solid_with_curved_faces(make):
    mesh = make()
    topology = build_topology(mesh)
    assert (topology.is_watertight, topology.shells) == (True, 1)
    assert mesh.volume > 2000
    assert len(mesh.faces) > 500
