"""How much memory results take."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pytest

from lean_trellis.core.derive.size import size_of
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.rays import RayTree


@dataclass(frozen=True)
class Held:
    array: np.ndarray
    name: str = "held"


def test_an_array_counts_once_however_often_it_is_there_and_a_view_as_what_it_looks_at():
    array = np.zeros(100_000)
    assert size_of(array) == pytest.approx(800_000, rel=0.001)
    assert size_of((array, array, {"again": array})) == pytest.approx(800_000, rel=0.001)
    assert size_of(array[:10]) == pytest.approx(800_000, rel=0.001)


@pytest.mark.parametrize("count", [10, 128, 129, 1000, 4321])
def test_of_many_things_some_tell_enough(count):
    things = tuple(Held(np.zeros(1000 + n % 7)) for n in range(count))
    assert size_of(things) == pytest.approx(count * 8200, rel=0.03)
    assert size_of(frozenset(range(count))) == pytest.approx(64 * count, rel=0.2)


def test_a_ray_tree_counts_its_own_copy_of_the_mesh():
    mesh = box((1, 2, 3))
    assert size_of(RayTree(mesh)) - size_of(mesh) >= 160 * len(mesh.faces)
