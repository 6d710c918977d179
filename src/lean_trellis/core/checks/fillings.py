"""`outside_volume`, `keep_out` of what lies between the parts of a stack: separators and spacers."""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.checks.volume import outside
from lean_trellis.core.checks.zones import over_zones


def check_fillings(state: BuildState) -> Iterator[Finding]:
    """A stop for each filling that leaves the plate, is too high, or stands where the machine takes up room."""
    for stack, meshes in state.fillings:
        lowest = stack.parts[0]
        if lowest not in {part.part.id for part in state.subjects}:
            continue
        name, cure = state.name_of(lowest), Cure("Move the stack away from the edge", about="parts")
        for mesh in meshes:
            if len(mesh.faces):
                yield from outside((name, lowest, ""), "filling of the stack", mesh.vertices, state.job.machine, cure)
                yield from over_zones((name, lowest, ""), "filling of the stack", mesh, state.job.machine)
