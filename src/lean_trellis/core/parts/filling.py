"""What stands in the gaps of a stack, as solids."""

from __future__ import annotations

import numpy as np
from manifold3d import JoinType

from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import from_manifold, to_manifold
from lean_trellis.core.parts.stacking import Separator, Spacer

_NOTHING = Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32))


def separator_under(upper: Mesh, separator: Separator, layer_height: float) -> Mesh:
    """The separator's layers under a part in its pose: the outline of its first layer, drawn in by the inset.

    Nothing where the inset leaves nothing. Raises `EditError` for a mesh that bounds no solid.
    """
    low = float(upper.bounds[0, 2])
    try:
        outline = to_manifold(upper).slice(low + 0.5 * layer_height)
    except EditError as problem:
        raise EditError("separator", "the part above it is no closed solid", "mend its mesh first") from problem
    if separator.inset:
        outline = outline.offset(-separator.inset, JoinType.Miter, 2.0)
    if outline.is_empty():
        return _NOTHING
    thickness = separator.layers * layer_height
    return from_manifold(outline.extrude(thickness).translate((0.0, 0.0, low - thickness)))


def spacer_between(lower: Mesh, upper: Mesh, spacer: Spacer) -> Mesh:
    """The spacer standing on the lower part's top, its middle under that of the upper one."""
    middle = upper.bounds.mean(axis=0)
    own = spacer.mesh.bounds
    shift = [*(middle - own.mean(axis=0))[:2].tolist(), float(lower.bounds[1, 2] - own[0, 2])]
    return spacer.mesh.moved(np.eye(3), np.array(shift))
