"""One part of a job."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

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
        if not len(self.mesh.vertices):
            return frozen(np.zeros((2, 3)))
        extents = [self.mesh.extent(direction) for direction in self.pose.matrix]
        return frozen(np.transpose(extents) + self.pose.shift(self.mesh))


def copied(part: Part, new_id: str, new_name: str) -> Part:
    """The same part again, exactly in place, under another id and name."""
    return replace(part, id=new_id, name=new_name)
