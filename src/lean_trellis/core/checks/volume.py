"""`outside_volume`: is every part and support inside the build volume, round plates too?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.changes import MoveTo
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.shop.machine import Machine

_TOLERANCE_MM = 1e-6


def check_volume(state: BuildState) -> Iterator[Finding]:
    """A stop for each part or support that leaves the plate or is too high."""
    machine = state.job.machine
    for part in state.subjects:
        vertices = part.overhangs.mesh.vertices
        move = _way_back(vertices, machine)
        cure = Cure(
            "Move it onto the plate",
            MoveTo(part.part.id, part.part.pose.x + move[0], part.part.pose.y + move[1]),
        )
        yield from outside((part.part.name, part.part.id, ""), "part", vertices, machine, cure)
    for carrier in state.own_supports:
        made = carrier.structure
        if not made.is_empty:
            name = state.name_of(carrier.support.part_id)
            cure = Cure("Move the part away from the edge", about="parts")
            whose = name, carrier.support.part_id, carrier.support.id
            yield from outside(whose, "support", made.mesh.vertices, machine, cure)


def outside(whose: tuple[str, str, str], what: str, points: Floats, machine: Machine, cure: Cure) -> Iterator[Finding]:
    """Stops where places (n, 3) leave the plate or are too high; `whose` are part name, part id and support id."""
    name, part_id, support_id = whose
    if not len(points):
        return
    beyond = machine.excess(points[:, :2])
    worst = int(beyond.argmax())
    if beyond[worst] > _TOLERANCE_MM:
        yield Finding(
            "outside_volume", "stop", name,
            f"{what} reaches {beyond[worst]:.2f} mm beyond the edge of the plate",
            cause=f"the {machine.plate.shape} plate of {machine.name} ends there",
            at_mm=_place(points[worst]), value=float(beyond[worst]), limit=0.0, unit="mm",
            cures=(cure,), part_id=part_id, support_id=support_id,
        )  # fmt: skip
    top = int(points[:, 2].argmax())
    if points[top, 2] > machine.height + _TOLERANCE_MM:
        yield Finding(
            "outside_volume", "stop", name,
            f"{what} is {points[top, 2]:.2f} mm high; limit of {machine.name}: {machine.height:g} mm",
            cause="it is higher than the machine builds", at_mm=_place(points[top]),
            value=float(points[top, 2]), limit=machine.height, unit="mm", part_id=part_id, support_id=support_id,
            cures=(Cure("Turn the part or lower its build offset", about="pose"),),
        )  # fmt: skip


def _way_back(vertices: Floats, machine: Machine) -> tuple[float, float]:
    """The shift in plan that brings a part's box onto a rectangular plate, or its middle onto a round one's."""
    low, high = vertices[:, :2].min(axis=0), vertices[:, :2].max(axis=0)
    if machine.plate.shape == "round":
        x, y = np.array(machine.plate.middle) - (low + high) / 2
        return float(x), float(y)
    size = np.array([machine.plate.width, machine.plate.depth])
    x, y = np.where(high - low > size, size / 2 - (low + high) / 2, np.maximum(-low, 0) - np.maximum(high - size, 0))
    return float(x), float(y)


def _place(point: Floats) -> tuple[float, float, float]:
    x, y, z = point.tolist()
    return x, y, z
