"""Which shell of a mesh each vertex belongs to, found once for a mesh."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.arrays import Longs, frozen
from lean_trellis.core.mesh.components import components_of
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.once import once_a_mesh


@once_a_mesh
def shells_of(mesh: Mesh) -> Longs:
    """(v,): the shell that each vertex belongs to."""
    ends = np.concatenate([mesh.faces[:, :2], mesh.faces[:, 1:]])
    return frozen(components_of(len(mesh.vertices), ends[:, 0], ends[:, 1]))
