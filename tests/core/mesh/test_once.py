"""What is found of a mesh is found once, and goes with it."""

from __future__ import annotations

import gc
import weakref

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.once import once_a_mesh
from lean_trellis.core.mesh.primitives import box


def test_it_is_found_once_for_each_mesh_even_where_it_is_nothing():
    asked: list[Mesh] = []

    @once_a_mesh
    def nothing(mesh: Mesh) -> None:
        asked.append(mesh)

    one, other = box((1, 1, 1)), box((1, 1, 1))
    for mesh in (one, other, one, one):
        assert nothing(mesh) is None
    assert [mesh is one for mesh in asked] == [True, False]


def test_it_keeps_no_mesh_alive():
    count = once_a_mesh(lambda mesh: len(mesh.faces))
    mesh = box((1, 1, 1))
    there = weakref.ref(mesh)
    assert count(mesh) == 12
    del mesh
    gc.collect()
    assert there() is None
