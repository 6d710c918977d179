"""PLY."""

from __future__ import annotations

import numpy as np
from mesh_files import write

from lean_trellis.core.formats import ply, read_bodies
from lean_trellis.core.mesh.primitives import ball


def test_ply_keeps_every_bit(tmp_path):
    mesh = ball(3, subdivisions=2)
    path = write(tmp_path / "b.ply", ply.ply_bytes(mesh))
    np.testing.assert_array_equal(read_bodies(path)[0].mesh.corners, mesh.corners)
