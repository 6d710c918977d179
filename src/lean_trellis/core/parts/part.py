"""One part of a job."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from lean_trellis.core.arrays import Floats, Longs, frozen
from lean_trellis.core.mesh.directions import level_frame
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.marks import Marks, carried_over, on_finer
from lean_trellis.core.parts.origin import Origin
from lean_trellis.core.parts.path_values import PathValues
from lean_trellis.core.parts.pose import Pose
from lean_trellis.core.parts.size import Size, sized


@dataclass(frozen=True)
class OwnDetection:
    """Spans in mm up to which ceilings and ledges support themselves, and the smallest region in mm²; None: usual."""

    bridge_span: float | None = None
    ledge_limit: float | None = None
    smallest_region: float | None = None


@dataclass(frozen=True)
class Part:
    """A part and what belongs to it. `mesh` is what is built, in the part's own coordinates, mm, and never changed.

    `nominal` is the mesh before scale and shrinkage, where `size` makes a difference; None else.
    `critical_angle` and `watch_angle` override the material's where they are set, degrees.
    A `group` is a name that parts share which are moved together; a locked part is not moved by arranging.
    """

    id: str
    name: str
    mesh: Mesh
    pose: Pose = field(default_factory=Pose)
    owner: str = ""
    order: str = ""
    origin: Origin = field(default_factory=Origin)
    critical_angle: float | None = None
    watch_angle: float | None = None
    nominal: Mesh | None = None
    size: Size = field(default_factory=Size)
    group: str = ""
    is_hidden: bool = False
    is_locked: bool = False
    marks: Marks = field(default_factory=Marks)
    path_values: tuple[PathValues, ...] = ()
    """Where its paths are laid otherwise than its material says; of several that hold the last wins."""
    detection: OwnDetection = field(default_factory=OwnDetection)
    """What supports itself, where that is other than its material says."""
    thickens: bool = False
    """Whether what is thinner than its process builds is built at the least width, where the process can do that."""
    lot: str = ""
    """The lot of material that its order asks for."""
    load: tuple[float, float, float] | None = None
    """The direction of the main load in use, a unit vector in the part's own coordinates, where somebody named it."""

    @property
    def nominal_mesh(self) -> Mesh:
        """The mesh before scale and shrinkage."""
        return self.mesh if self.nominal is None else self.nominal

    @property
    def placed(self) -> Mesh:
        """The mesh on the plate. Costs a copy: keep it where it is needed twice."""
        return self.pose.applied(self.mesh)

    def bounds(self) -> Floats:
        """(2, 3): the box round the part on the plate, mm."""
        if not len(self.mesh.vertices):
            return frozen(np.zeros((2, 3)))
        extents = [self.mesh.extent(direction) for direction in self.pose.matrix]
        return frozen(np.transpose(extents) + self.pose.shift(self.mesh))

    def layer_origin(self, layer_normal: tuple[float, float, float]) -> Floats:
        """(3,): the middle of its box in plan and its lowest place, in the frame of layers with a normal, mm."""
        axes = level_frame(layer_normal).T
        extents = np.array([self.mesh.extent(axis @ self.pose.matrix) for axis in axes])
        shift = axes @ self.pose.shift(self.mesh)
        return frozen(np.array([*extents[:2].mean(axis=1), extents[2, 0]]) + shift)


def copied(part: Part, new_id: str, new_name: str) -> Part:
    """The same part again, exactly in place, under another id and name."""
    return replace(part, id=new_id, name=new_name)


def with_size(part: Part, size: Size) -> Part:
    """The same part at another size; its middle and its build offset stay where they are."""
    nominal = part.nominal_mesh
    return replace(part, mesh=sized(nominal, size), nominal=None if size.is_plain else nominal, size=size)


def with_finer(part: Part, finer: Mesh, parent: Longs) -> Part:
    """The same part with some faces of its mesh parted; `parent` (m,) tells of which face each is part.

    The nominal mesh is parted alike, its own vertices stay to the last digit.
    """
    count = len(part.mesh.vertices)
    nominal = part.nominal_mesh
    vertices = np.concatenate([nominal.vertices, finer.vertices[count:] / part.size.factors])
    parted = Mesh(vertices, finer.faces)
    marks = on_finer(part.marks, parent)
    mesh = sized(parted, part.size)
    return replace(part, mesh=mesh, nominal=None if part.size.is_plain else parted, marks=marks)


def with_nominal(part: Part, nominal: Mesh, *, keeps_place: bool) -> Part:
    """The same part with another nominal mesh at the same size.

    With `keeps_place` what both meshes share stays where it is in plan, though the middle moves (after mending,
    hollowing, an allowance). Otherwise the middle stays (a revised file). The build offset stays in any case.
    """
    mesh = sized(nominal, part.size)
    marks = carried_over(part.marks, part.nominal_mesh, nominal)
    changed = replace(part, mesh=mesh, nominal=None if part.size.is_plain else nominal, marks=marks)
    if keeps_place:
        x, y, _ = (part.pose.matrix @ mesh.middle + part.pose.shift(part.mesh)).tolist()
        changed = replace(changed, pose=replace(part.pose, x=x, y=y))
    return changed
