"""Edits of what a job is built with: its name, machine, material, layer height, angles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.job import Job
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import Material


def rename_job(job: Job, name: str) -> Edit:
    """Give the job another name."""
    return Edit(f"Name the job {name}", replace(job, name=name.strip() or "Untitled"))


def choose_machine(job: Job, machine: Machine, material: Material) -> Edit:
    """Change the machine and, where its process differs, the material; the layer height follows the material."""
    if material.process != machine.process:
        raise EditError(machine.name, f"cannot build {material.name}", "choose a material of its process")
    title = f"Build on {machine.name} in {material.name}"
    return Edit(title, replace(job, machine=machine, material=material, layer_height=material.usual_layer_height))


def set_layer_height(job: Job, height: float) -> Edit:
    """Change the layer height within what the machine can make."""
    least, most = job.machine.layer_least, job.machine.layer_most
    if not least <= height <= most:
        raise EditError("layer height", f"{height:g} mm is outside what {job.machine.name} makes",
                        f"give {least:g} to {most:g} mm")  # fmt: skip
    return Edit(f"Set layer height to {height:g} mm", replace(job, layer_height=float(height)))


def set_angles(job: Job, part_ids: Sequence[str], critical: float | None, watch: float | None) -> Edit:
    """Set critical and watch angle of parts; None takes the material's again."""
    for angle in (critical, watch):
        if angle is not None and not 0 <= angle <= 90:
            raise EditError("angle", f"{angle:g}° is no surface angle", "give 0 to 90")
    for part_id in part_ids:
        job = job.with_part(replace(job.part(part_id), critical_angle=critical, watch_angle=watch))
    said = "the material's" if critical is None else f"{critical:g}°"
    return Edit(f"Set critical angle to {said}", job)
