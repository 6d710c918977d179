"""Edits of how parts are laid: values of paths for some of their layers, the place of the purge tower."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit, require_finite
from lean_trellis.core.job.job import Job
from lean_trellis.core.parts.path_values import PathValues


def set_path_values(job: Job, part_id: str, values: Sequence[PathValues]) -> Edit:
    """Lay some layers or outlines of a part with other beads, loops or fill; nothing: as its material says."""
    for some in values:
        some.require()
    part = job.part(part_id)
    return Edit(f"Change paths of {part.name}", job.with_part(replace(part, path_values=tuple(values))))


def move_purge_tower(job: Job, x: float, y: float) -> Edit:
    """Put the purge tower of this build's machine elsewhere: its front left corner, kept on the plate."""
    require_finite("purge tower", x, y)
    machine = job.machine
    tower = machine.purge_tower
    if tower is None:
        raise EditError(machine.name, "has no purge tower", "give it one at Setup, among its values")
    x = min(max(x, 0.0), max(machine.plate.width - tower.width, 0.0))
    y = min(max(y, 0.0), max(machine.plate.depth - tower.depth, 0.0))
    moved = machine.model_copy(update={"purge_tower": tower.model_copy(update={"x": x, "y": y})})
    return Edit(f"Move the {tower.name}", replace(job, machine=moved))
