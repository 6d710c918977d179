"""The vat parts of the demo."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.demo.dental_parts import arch_model, bridge_frame, coping, drill_guide
from lean_trellis.core.mesh import build_topology
from lean_trellis.core.mesh.primitives import to_manifold


@pytest.mark.parametrize(("make", "size"), [(arch_model, (66, 53, 20)), (bridge_frame, (30, 10, 7)),
                                            (coping, (8.6, 7.2, 6)), (drill_guide, (60, 45, 14))])  # fmt: skip
def test_each_is_one_closed_solid_of_about_its_size(make, size):
    mesh = make()
    topology = build_topology(mesh)
    assert (topology.is_watertight, topology.shells) == (True, 1)
    assert np.ptp(mesh.vertices, axis=0) == pytest.approx(size, rel=0.35)


def test_a_coping_is_a_thin_shell_and_a_guide_has_three_bores_and_two_windows():
    shell = coping()
    assert shell.volume < 0.4 * to_manifold(shell).hull().volume()
    assert to_manifold(drill_guide()).genus() == 5
