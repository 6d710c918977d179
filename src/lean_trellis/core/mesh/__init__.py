"""Triangle meshes as arrays: weld, adjacency, health, ray casting, distances, primitives.

A `Mesh` is read-only; everything that follows from it (edges, shells, health, ray tree) is made by a
function here and kept by the caller. No file formats, no parts, no poses.
"""

from lean_trellis.core.mesh.health import MeshHealth, examine
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.topology import Topology, build_topology
from lean_trellis.core.mesh.weld import weld

__all__ = ["Mesh", "MeshHealth", "Topology", "build_topology", "examine", "weld"]
