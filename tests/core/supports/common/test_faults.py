"""What faults are looked for with: neighbours as solids where they bound one."""

from __future__ import annotations

import pytest

from lean_trellis.core.mesh import Mesh
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.mesh.rays import RayTree
from lean_trellis.core.parts import Pose
from lean_trellis.core.supports.common.faults import Neighbour
from lean_trellis.core.supports.common.obstacle import Obstacle


def test_a_part_that_bounds_no_solid_is_looked_at_by_its_surface_alone():
    whole = box((4, 4, 4))
    open_box = Mesh(whole.vertices, whole.faces[whole.normals[:, 2] < 0.5])
    pose = Pose(build_offset=2.0)
    assert Neighbour("block", Obstacle(RayTree(whole), pose, pose.applied(whole)), 2.0).solid.volume() == pytest.approx(
        64
    )
    assert Neighbour("tray", Obstacle(RayTree(open_box), pose, pose.applied(open_box)), 2.0).solid is None
