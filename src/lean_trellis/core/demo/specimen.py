"""A standard test shape on which the values of any family can be seen: a tall slab with a shelf and a sloping lid."""

from __future__ import annotations

import numpy as np

from lean_trellis.core.formats.body import Body
from lean_trellis.core.job.edits import add_bodies, add_support, set_build_offset
from lean_trellis.core.job.edits.structures import draw_path
from lean_trellis.core.job.job import Job, new_job
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import box, extrusion
from lean_trellis.core.mesh.uniting import united
from lean_trellis.core.sets.parameter_set import ParameterSet
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Material
from lean_trellis.core.supports.bodies.parameters import RaftParameters
from lean_trellis.core.supports.panels.parameters import WallParameters

OFFSET = 9.0


def specimen_mesh() -> Mesh:
    """A slab of 4 x 18 x 30, a flat shelf of 22 x 18 on one side, a lid that slopes by 30 degrees on the other."""
    slab, shelf = box((4, 18, 30)), box((22, 18, 3), corner=(-21, 0, 0))
    rise = 14 * np.tan(np.radians(30))
    lid = extrusion(np.array([[3.0, 0], [17, rise], [17, rise + 3], [3, 5]]), 18.0)
    turn = np.column_stack([[1.0, 0, 0], [0, 0, 1.0], [0, -1.0, 0]])
    return united([slab, shelf, lid.moved(turn, np.array([0.0, 18, 0]))])


def specimen_job(chosen: ParameterSet, machine: Machine, material: Material) -> Job:
    """The shape with a support of a set; a wall along a line gets one along the shelf's free edge."""
    mesh = specimen_mesh()
    job = add_bodies(new_job(machine, material, "Specimen"), [Body("specimen", mesh, len(mesh.faces))]).job
    part = job.parts[0]
    # A raft carries the part, a brim goes round its foot.
    offset = chosen.parameters.thickness if isinstance(chosen.parameters, RaftParameters) else OFFSET
    job = set_build_offset(job, [part.id], offset).job
    job = add_support(job, part.id, chosen).job
    if isinstance(chosen.parameters, WallParameters):
        low, high = job.parts[0].bounds()
        edge = np.array([[low[0] + 1, low[1] + 1, low[2]], [low[0] + 1, high[1] - 1, low[2]]])
        job = draw_path(job, job.supports[-1].id, edge).job
    return job
