"""What lies on the plate: even spots of it, merged by cells, and its springs."""

from __future__ import annotations

import numpy as np
import pytest

from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.overhang.detect import detect
from lean_trellis.core.strength.bond import FINE_MM, MOST_FINE, Bond, bonded, place_of, rests_of

FRAME = np.eye(3)


def lying(size: tuple[float, float, float]):
    mesh = box(size)
    return detect(build_topology(mesh), mesh, critical_angle=45.0)


def test_a_slab_rests_with_all_of_its_underside_spread_evenly():
    for finer in ((), (FINE_MM, MOST_FINE)):
        bond = rests_of(lying((200.0, 30.0, 5.0)), *finer)
        assert bond.areas.sum() == pytest.approx(6000)
        assert bond.areas @ bond.places == pytest.approx(6000 * np.array([100.0, 15.0, 0.0]))
        ends = bond.places[:, 0]
        assert max(ends.min(), 200 - ends.max()) < 4.0
    assert len(rests_of(lying((200.0, 30.0, 5.0)), FINE_MM, MOST_FINE)) > 5 * len(rests_of(lying((200.0, 30.0, 5.0))))


def test_what_stands_in_the_air_rests_on_nothing():
    mesh = box((20, 20, 5), corner=(0, 0, 3))
    assert len(rests_of(detect(build_topology(mesh), mesh, critical_angle=45.0))) == 0
    assert len(Bond().coarse(3.0)) == 0


def test_springs_are_as_stiff_as_a_millimetre_of_the_material():
    springs = bonded(Bond(np.array([[1.0, 2.0, 0.0]]), np.array([4.0])), FRAME, 2000.0)
    assert springs.axial.tolist() == [8000.0]
    assert springs.axes.tolist() == [[0.0, 0.0, 1.0]]
    assert springs.turning == pytest.approx(8000 * 4 / (4 * np.pi))
    assert springs.pulls.all()
    assert place_of(np.array([1, 2, 3.0])) == (1.0, 2.0, 3.0)
