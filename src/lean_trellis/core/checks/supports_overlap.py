"""`supports_overlap`: are supports run into one another?"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

from shapely import area as area_of

from lean_trellis.core.checks.changes import SetValue
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, SupportState
from lean_trellis.core.errors import EditError
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.mesh.primitives import to_manifold
from lean_trellis.core.supports.common.faults import boxes_meet, place_of
from lean_trellis.core.supports.common.floors import Shape
from lean_trellis.core.supports.common.spec import spec_of
from lean_trellis.core.supports.common.support import Support

_LEAST_OVERLAP_MM3 = 0.01


def _is_under_others(support: Support) -> bool:
    """Whether it is there for others to be built onto it, or it onto them."""
    spec = spec_of(support)
    return spec.is_ground or spec.joins


def check_supports_overlap(state: BuildState) -> Iterator[Finding]:
    """Notes on supports that overlap, unless both keep clear of each other by themselves or one is ground."""
    some = [
        carrier
        for carrier in state.supports
        if not _is_under_others(carrier.support) and not carrier.structure.is_empty
    ]
    shadows: dict[str, Shape] = {}
    for carrier, other in combinations(some, 2):
        if not state.is_looked_at(carrier.support.part_id):
            continue
        if spec_of(carrier.support).gets_room and spec_of(other.support).gets_room:
            continue
        if not boxes_meet(carrier.structure.mesh.bounds, other.structure.mesh.bounds):
            continue
        for one in (carrier, other):
            if one.support.id not in shadows:
                shadows[one.support.id] = spec_of(one.support).shadow(one.structure)
        # Looked for in space only where they overlap as seen from above.
        if area_of(shadows[carrier.support.id].intersection(shadows[other.support.id])) <= 0:
            continue
        common = _common_volume(_solid(carrier), _solid(other))
        if common > _LEAST_OVERLAP_MM3:
            yield _overlap(state, carrier, other, common)


def _solid(carrier: SupportState) -> Mesh:
    solid: Mesh = spec_of(carrier.support).solid(carrier.structure)
    return solid


def _common_volume(one: Mesh, other: Mesh) -> float:
    """What two solids have in common, mm³; 0 where one bounds none."""
    try:
        return float((to_manifold(one) ^ to_manifold(other)).volume())
    except EditError:
        return 0.0


def _overlap(state: BuildState, carrier: SupportState, other: SupportState, common: float) -> Finding:
    """Said of the support that can keep clear of the other, where one can."""
    trimmed = [one for one in (carrier, other) if "trim" in type(one.support.parameters).model_fields]
    giving = trimmed[0] if trimmed else carrier
    taking = other if giving is carrier else carrier
    makes_room = bool(trimmed) and spec_of(taking.support).gets_room
    room = (Cure("Keep the walls clear of bars", SetValue(giving.support.id, "trim", "bars")),) * makes_room
    return Finding(
        "supports_overlap", "note", state.name_of(carrier.support.part_id),
        f"{carrier.support.set_name} and {other.support.set_name} overlap by {common:.2f} mm³",
        cause="supports of several families serve the same place", value=common, limit=0.0, unit="mm³",
        at_mm=place_of(((carrier.structure.mesh.bounds + other.structure.mesh.bounds) / 2).mean(axis=0)),
        part_id=giving.support.part_id, support_id=giving.support.id,
        cures=(*room, Cure("Open its support", about="supports")),
    )  # fmt: skip
