"""The demo jobs."""

from __future__ import annotations

from dataclasses import replace

from lean_trellis.core.demo import metal_parts
from lean_trellis.core.formats.body import Body
from lean_trellis.core.job.edits import add_bodies, add_support, arrange_parts
from lean_trellis.core.job.job import Job, new_job
from lean_trellis.core.parts.pose import Pose, rotation_xyz
from lean_trellis.core.sets.parameter_set import shipped_sets
from lean_trellis.core.shop.library import Library

RIVER = "Otterbank Survey"
ORGANS = "Tern Street Organs"


def metal_build(library: Library) -> Job:
    """Friday's metal build: four parts of two customers, two of them supported, two still to do."""
    job = new_job(library.machine("metal-260"), library.material("steel-316l"), "Friday metal")
    for name, make, owner, turn in (
        ("Strut bracket", metal_parts.strut_bracket, RIVER, (0.0, 32.0, 0.0)),
        ("Sensor manifold", metal_parts.sensor_manifold, RIVER, (0.0, 0.0, 0.0)),
        ("Exhaust elbow", metal_parts.exhaust_elbow, ORGANS, (0.0, -20.0, 0.0)),
        ("Impeller", metal_parts.impeller, RIVER, (0.0, 0.0, 0.0)),
    ):
        mesh = make()
        body = Body(name, mesh, len(mesh.faces), unit_known=True)
        job = add_bodies(job, [body], file="made by code", owner=owner, keep_position=True).job
        part = job.parts[-1]
        pose = Pose(build_offset=job.material.build_offset).turned(rotation_xyz(*turn))
        job = job.with_part(replace(part, pose=pose, order="FW-0417" if owner == RIVER else "FW-0422"))
    job = arrange_parts(job).job
    sets = shipped_sets()
    for part in (job.parts[0], job.parts[1]):
        job = add_support(job, part.id, sets["bars-metal"]).job
    return job
