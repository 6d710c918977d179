"""Edits of what a job is built with: its name, machine, material, layer height, angles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from lean_trellis.core.errors import EditError, UnknownNameError
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.stacking import upheld
from lean_trellis.core.shop.machine import Machine
from lean_trellis.core.shop.material import USUAL_MODE, Material
from lean_trellis.core.shop.values import with_value

_FIRST_LAYER_SHARE = 2.0
"""A first layer may be so many times as high as the highest of the others: it is pressed on, or hardened longer."""
_MOST_SUPPORT_EVERY = 10


def rename_job(job: Job, name: str) -> Edit:
    """Give the job another name."""
    return Edit(f"Name the job {name}", replace(job, name=name.strip() or "Untitled"))


def choose_machine(job: Job, machine: Machine, material: Material) -> Edit:
    """Change the machine and, where its process differs, the material; the layer height follows the material."""
    if material.process != machine.process:
        raise EditError(machine.name, f"cannot build {material.name}", "choose a material of its process")
    title = f"Build on {machine.name} in {material.name}"
    layer = material.usual_layer_height
    surface = job.surface if job.surface in machine.surfaces else ""
    fitting = job.fitting if job.fitting in machine.fittings else ""
    return Edit(
        title,
        replace(
            job,
            machine=machine,
            material=material,
            layer_height=layer,
            surface=surface,
            fitting=fitting,
            first_layer=None,
            support_every=1,
            mode=job.mode if job.mode in material.modes else USUAL_MODE,
        ),
    )


def set_layer_height(job: Job, height: float) -> Edit:
    """Change the layer height within what the machine can make."""
    least, most = job.machine.layer_least, job.machine.layer_most
    if not least <= height <= most:
        raise EditError("layer height", f"{height:g} mm is outside what {job.machine.name} makes",
                        f"give {least:g} to {most:g} mm")  # fmt: skip
    return Edit(f"Set layer height to {height:g} mm", replace(job, layer_height=float(height)))


def set_first_layer(job: Job, height: float | None) -> Edit:
    """Give the lowest layer a height of its own; None takes that of the others again."""
    if height is None:
        return Edit("First layer as the others", replace(job, first_layer=None))
    least, most = job.machine.layer_least, _FIRST_LAYER_SHARE * job.machine.layer_most
    if not least <= height <= most:
        raise EditError("first layer", f"{height:g} mm is outside what {job.machine.name} makes",
                        f"give {least:g} to {most:g} mm, or nothing")  # fmt: skip
    return Edit(f"Set first layer to {height:g} mm", replace(job, first_layer=float(height)))


def set_support_every(job: Job, layers: int) -> Edit:
    """Build supports at every so many-th layer, where the process allows that."""
    if not 1 <= layers <= _MOST_SUPPORT_EVERY:
        raise EditError("support layers", f"every {layers} layers is no choice", f"give 1 to {_MOST_SUPPORT_EVERY}")
    if layers > 1 and job.machine.process == "vat":
        raise EditError("support layers", "a vat hardens every layer of whatever it builds", "give 1")
    words = "every layer" if layers == 1 else f"every {layers} layers"
    return Edit(f"Build supports at {words}", replace(job, support_every=int(layers)))


def set_angles(job: Job, part_ids: Sequence[str], critical: float | None, watch: float | None) -> Edit:
    """Set critical and watch angle of parts; None takes the material's again."""
    for angle in (critical, watch):
        if angle is not None and not 0 <= angle <= 90:
            raise EditError("angle", f"{angle:g}° is no surface angle", "give 0 to 90")
    for part_id in part_ids:
        job = job.with_part(replace(job.part(part_id), critical_angle=critical, watch_angle=watch))
    said = "the material's" if critical is None else f"{critical:g}°"
    return Edit(f"Set critical angle to {said}", job)


def change_machine(job: Job, key: str, value: Any) -> Edit:
    """Change one value of the machine for this build alone."""
    machine = with_value(job.machine, key, value)
    return Edit(f"Change {key} of {machine.name}", replace(job, machine=machine))


def change_material(job: Job, key: str, value: Any) -> Edit:
    """Change one value of the material for this build alone."""
    material = with_value(job.material, key, value)
    return Edit(f"Change {key} of {material.name}", replace(job, material=material))


def set_lot(job: Job, lot: str) -> Edit:
    """Note the lot number of powder, resin or filament."""
    return Edit(f"Note lot {lot.strip() or 'none'}", replace(job, lot=lot.strip()))


def fit(job: Job, *, surface: str | None = None, fitting: str | None = None) -> Edit:
    """Say which plate surface, tray or vat of the machine is fitted."""
    for wanted, known in ((surface, job.machine.surfaces), (fitting, job.machine.fittings)):
        if wanted and wanted not in known:
            raise EditError(wanted, f"does not fit {job.machine.name}", f"choose {' or '.join(known) or 'none'}")
    fitted = replace(
        job,
        surface=job.surface if surface is None else surface,
        fitting=job.fitting if fitting is None else fitting,
    )
    return Edit(f"Fit {surface or fitting or 'nothing'}", fitted)


def choose_mode(job: Job, mode: str) -> Edit:
    """Build in another mode of the material: its constants are others then."""
    if mode not in job.material.modes:
        raise UnknownNameError.among("mode", mode, job.material.modes)
    return Edit(f"Build in the {mode} mode", replace(job, mode=mode))


def same_on(job: Job, machine: Machine, material: Material) -> Job:
    """The same build for another machine and material: poses, offsets and supports stay, the plate's middles meet.

    Build offsets that were the old material's own become the new one's. Raises `EditError` as `choose_machine`.
    """
    other = choose_machine(job, machine, material).job
    shift = np.array(machine.plate.middle) - job.machine.plate.middle
    for part in other.parts:
        offset = part.pose.build_offset
        if offset == job.material.build_offset:
            offset = material.build_offset
        pose = replace(part.pose, x=part.pose.x + float(shift[0]), y=part.pose.y + float(shift[1]), build_offset=offset)
        other = other.with_part(replace(part, pose=pose))
    return upheld(replace(other, name=f"{job.name} in {material.name}", lot=""))
