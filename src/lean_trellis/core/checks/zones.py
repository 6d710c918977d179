"""`keep_out`: does anything stand where the machine takes up room: clamps, screws, the purge tower?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState
from lean_trellis.core.shop.machine import Zone

_ACROSS = 9


def check_zones(state: BuildState) -> Iterator[Finding]:
    """A stop for each part or support that reaches over a zone of the plate."""
    machine = state.job.machine
    for zone in machine.zones:
        for part in state.subjects:
            place = _inside(part.overhangs.mesh.vertices, zone)
            if place is None:
                place = _covered(part.part.pose.to_part(part.part.mesh, _grid(zone)), part, zone)
            if place is not None:
                yield _finding(zone, part.part.name, part.part.id, "", "part", place)
        for held in state.own_supports:
            place = _inside(held.structure.mesh.vertices, zone) if not held.structure.is_empty else None
            if place is not None:
                name = state.name_of(held.support.part_id)
                yield _finding(zone, name, held.support.part_id, held.support.id, "support", place)


def _inside(points: Floats, zone: Zone) -> tuple[float, float, float] | None:
    found = np.flatnonzero(zone.holds(points[:, :2]))
    if not len(found):
        return None
    x, y, z = points[found[np.argmin(points[found, 2])]].tolist()
    return x, y, z


def _grid(zone: Zone) -> Floats:
    x, y = np.meshgrid(np.linspace(0.01, 0.99, _ACROSS), np.linspace(0.01, 0.99, _ACROSS))
    return np.column_stack(
        [zone.x + zone.width * x.reshape(-1), zone.y + zone.depth * y.reshape(-1), np.full(_ACROSS**2, -1.0)]
    )


def _covered(starts: Floats, part: PartState, zone: Zone) -> tuple[float, float, float] | None:
    """Whether a face without a corner over the zone lies above it: looked for by rays from below."""
    up = part.part.pose.matrix[2]
    hits = part.tree.first_hits(starts, up)
    found = np.flatnonzero(hits.face >= 0)
    if not len(found):
        return None
    place = found[int(np.argmin(hits.distance[found]))]
    x, y, z = _grid(zone)[place].tolist()
    return x, y, z + float(hits.distance[place])


def _finding(
    zone: Zone, name: str, part_id: str, support_id: str, what: str, place: tuple[float, float, float]
) -> Finding:
    return Finding(
        "keep_out", "stop", name, f"{what} stands over the {zone.name}",
        cause="the machine takes up that place of the plate", at_mm=place, part_id=part_id, support_id=support_id,
        cures=(Cure("Arrange the parts", about="parts"),),
    )  # fmt: skip
