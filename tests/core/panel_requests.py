"""Requests for supports of any family on a mesh at a height, as the tests of walls and bodies need them."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.mesh.topology import build_topology
from lean_trellis.core.overhang.detect import detect
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.supports.obstacle import Obstacle
from lean_trellis.core.supports.request import Request

LAYER = 0.05


def request_for(
    mesh: Mesh, parameters, *, offset: float = 8.0, critical: float = 45.0, protected=None, **more
) -> Request:
    """All face regions of a mesh whose lowest point stands at `offset`, round x = y = 0 as it was made."""
    placed = Mesh(mesh.vertices + [0, 0, offset - mesh.bounds[0][2]], mesh.faces)
    topology = build_topology(placed)
    overhangs = detect(topology, placed, critical_angle=critical)
    middle = placed.bounds.mean(axis=0)
    pose = Pose(x=float(middle[0]), y=float(middle[1]), build_offset=offset)
    chosen = more.pop("chosen", tuple(region.id for region in overhangs.to_be_held if region.kind == "face"))
    obstacle = Obstacle(RayTree(mesh), pose, placed, protected)
    return Request(topology, overhangs, chosen, parameters, LAYER, (obstacle,), protected=protected, **more)


def wavy_slab(size: float = 40.0, cells: int = 60, thickness: float = 3.0) -> Mesh:
    """A square slab whose underside waves gently: every place of it is critical."""
    line = np.linspace(0, size, cells + 1)
    x, y = np.meshgrid(line, line, indexing="ij")
    z = 2.0 * np.sin(x / 9) * np.cos(y / 11)
    count = cells + 1
    low = np.column_stack([x.ravel(), y.ravel(), z.ravel()])
    numbers = np.arange(count * count).reshape(count, count)
    a, b, c, d = (part.ravel() for part in (numbers[:-1, :-1], numbers[1:, :-1], numbers[1:, 1:], numbers[:-1, 1:]))
    under = np.concatenate([np.column_stack([a, c, b]), np.column_stack([a, d, c])])
    rim = np.concatenate([numbers[:, 0], numbers[-1, 1:], numbers[-2::-1, -1], numbers[0, -2:0:-1]])
    following, up = np.roll(rim, -1), count * count
    sides = np.concatenate([
        np.column_stack([rim, following, following + up]), np.column_stack([rim, following + up, rim + up]),
    ])  # fmt: skip
    faces = np.concatenate([under, under[:, ::-1] + up, sides])
    return Mesh(np.concatenate([low, low + [0, 0, thickness]]), faces.astype(np.int32))
