"""Shells of meshes."""

from __future__ import annotations

import gc
import weakref

import numpy as np

from lean_trellis.core.mesh.mesh import Mesh, join
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.shells import shells_of


def test_each_shell_has_a_number_of_its_own_and_is_found_once():
    mesh = join([box((1, 1, 1)), box((1, 1, 1), corner=(5, 0, 0))])
    shells = shells_of(mesh)
    assert len(np.unique(shells)) == 2
    assert len(set(shells[mesh.vertices[:, 0] < 3].tolist())) == 1
    assert shells_of(mesh) is shells
    assert not shells.flags.writeable


def test_nothing_has_none_and_what_is_gone_is_forgotten():
    assert len(shells_of(Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32)))) == 0
    mesh = box((1, 1, 1))
    shells_of(mesh)
    known = weakref.ref(mesh)
    del mesh
    gc.collect()
    assert known() is None
