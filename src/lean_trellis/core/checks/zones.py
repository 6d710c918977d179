"""`keep_out`: does anything stand where the machine takes up room: clamps, screws, the purge tower?"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import shapely

from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.shop.machine import Machine, Zone
from lean_trellis.core.supports.common.floors import plane_heights

_SPARE_MM = 1e-6
_STEEP = 1e-3


def check_zones(state: BuildState) -> Iterator[Finding]:
    """A stop for each part or support that reaches over a zone of the plate."""
    machine = state.job.machine
    for part in state.subjects:
        yield from over_zones((part.part.name, part.part.id, ""), "part", part.overhangs.mesh, machine)
    for carrier in state.own_supports:
        if not carrier.structure.is_empty:
            whose = state.name_of(carrier.support.part_id), carrier.support.part_id, carrier.support.id
            yield from over_zones(whose, "support", carrier.structure.mesh, machine)


def over_zones(whose: tuple[str, str, str], what: str, mesh: Mesh, machine: Machine) -> Iterator[Finding]:
    """Stops where a mesh reaches over zones of a machine; `whose` are part name, part id and support id."""
    for zone in machine.zones:
        place = _reaching(mesh, zone)
        if place is not None:
            yield _finding(zone, *whose, what, place)


def _reaching(mesh: Mesh, zone: Zone) -> tuple[float, float, float] | None:
    """Where a mesh reaches over a zone: its lowest corner there, else a place on its lowest face that crosses it."""
    inside = np.flatnonzero(zone.holds(mesh.vertices[:, :2]))
    if len(inside):
        x, y, z = mesh.vertices[inside[np.argmin(mesh.vertices[inside, 2])]].tolist()
        return x, y, z
    return _crossing(mesh, zone)


def _crossing(mesh: Mesh, zone: Zone) -> tuple[float, float, float] | None:
    low = np.array([zone.x, zone.y]) + _SPARE_MM
    high = low + np.array([zone.width, zone.depth]) - 2 * _SPARE_MM
    if not len(mesh.faces) or (mesh.bounds[0, :2] >= high).any() or (mesh.bounds[1, :2] <= low).any():
        return None
    near = np.flatnonzero((mesh.face_lows[:, :2] < high).all(axis=1) & (mesh.face_highs[:, :2] > low).all(axis=1))
    area = shapely.box(*low, *high)
    shapes = shapely.convex_hull(shapely.multipoints(mesh.corners[near][:, :, :2]))
    touched = np.flatnonzero(shapely.intersects(shapes, area))
    if not len(touched):
        return None
    lowest = touched[int(mesh.corners[near[touched], :, 2].min(axis=1).argmin())]
    place = shapely.point_on_surface(shapely.intersection(shapes[lowest], area))
    face = near[lowest]
    z = float(mesh.corners[face, :, 2].min())
    if abs(mesh.normals[face, 2]) > _STEEP:
        z = float(plane_heights(mesh, near[[lowest]], np.array([[place.x, place.y]]))[0])
    return float(place.x), float(place.y), z


def _finding(
    zone: Zone, name: str, part_id: str, support_id: str, what: str, place: tuple[float, float, float]
) -> Finding:
    return Finding(
        "keep_out", "stop", name, f"{what} is over the {zone.name}",
        cause="the machine needs that place on the plate", at_mm=place, part_id=part_id, support_id=support_id,
        cures=(Cure("Arrange the parts", about="parts"),),
    )  # fmt: skip
