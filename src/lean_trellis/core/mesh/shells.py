"""Which shell of a mesh each vertex belongs to, found once for a mesh."""

from __future__ import annotations

from weakref import WeakKeyDictionary

import numpy as np

from lean_trellis.core.arrays import Longs, frozen
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.mesh import Mesh

_KNOWN: WeakKeyDictionary[Mesh, Longs] = WeakKeyDictionary()
"""What was found of meshes, as long as these are there."""


def shells_of(mesh: Mesh) -> Longs:
    """(v,): the shell that each vertex belongs to."""
    known = _KNOWN.get(mesh)
    if known is None:
        ends = np.concatenate([mesh.faces[:, :2], mesh.faces[:, 1:]])
        known = _KNOWN[mesh] = frozen(components_of(len(mesh.vertices), ends[:, 0], ends[:, 1]))
    return known
