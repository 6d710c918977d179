"""Requests for supports of any family on a mesh at a height, as the tests of walls and bodies need them."""

from __future__ import annotations

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
