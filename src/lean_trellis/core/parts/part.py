"""One part of a job."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from lean_trellis.core.arrays import Floats, frozen
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.pose import Pose


@dataclass(frozen=True)
class Part:
    """A part and what belongs to it. `mesh` is in the part's own coordinates, mm, and never changed.

    `critical_angle` and `watch_angle` override the material's where they are set, degrees.
    """

    id: str
    name: str
    mesh: Mesh
    pose: Pose = field(default_factory=Pose)
    owner: str = ""
    order: str = ""
    source: str = ""
    critical_angle: float | None = None
    watch_angle: float | None = None

    @property
    def placed(self) -> Mesh:
        """The mesh as it stands on the plate. Costs a copy: keep it where it is needed twice."""
        return self.pose.applied(self.mesh)

    def bounds(self) -> Floats:
        """(2, 3): the box round the part as it stands on the plate, mm."""
        return _placed_bounds(self.mesh, self.pose)


@lru_cache(maxsize=512)
def _placed_bounds(mesh: Mesh, pose: Pose) -> Floats:
    """Asked for over and over while things are placed, so kept for the latest meshes and poses."""
    if not len(mesh.vertices):
        return frozen(np.zeros((2, 3)))
    heights = [mesh.vertices @ direction for direction in pose.matrix]
    box = np.array([[h.min() for h in heights], [h.max() for h in heights]])
    turned_middle = pose.matrix @ mesh.middle
    shift = [pose.x - turned_middle[0], pose.y - turned_middle[1], pose.build_offset - box[0, 2]]
    return frozen(box + shift)


def copied(part: Part, new_id: str, new_name: str) -> Part:
    """The same part again, exactly in place, under another id and name."""
    return replace(part, id=new_id, name=new_name)
