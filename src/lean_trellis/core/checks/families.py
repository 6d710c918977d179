"""Each support's own faults, as its family finds them, reported as findings on the parts they concern."""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.checks.changes import MoveMissed, SetOffset, SetValue
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState, PartState, SupportState
from lean_trellis.core.parts.part import Part
from lean_trellis.core.supports.common.faults import FamilyView, Fault, Neighbour, Remedy
from lean_trellis.core.supports.common.obstacle import Obstacle
from lean_trellis.core.supports.common.spec import spec_of


def check_families(state: BuildState) -> Iterator[Finding]:
    """Findings on the structures of every support."""
    neighbours = {part.part.id: _neighbour(part) for part in state.parts}
    for carrier in state.own_supports:
        state.watch.at(0.92, f"checking the supports of {state.name_of(carrier.support.part_id)}")
        own = [state.job.part(part_id) for part_id in carrier.support.parts]
        parts = own + [part.part for part in state.parts if part.part not in own]
        view = FamilyView(
            carrier.support.parameters,
            carrier.structure,
            tuple(neighbours[part.id] for part in parts),
            len(own),
            state.job.critical_angle(own[0]),
            tuple(other.structure for other in state.supports if other is not carrier),
        )
        for fault in spec_of(carrier.support).faults(view):
            yield _finding(fault, carrier, parts[fault.part])


def _neighbour(part: PartState) -> Neighbour:
    obstacle = Obstacle(part.tree, part.part.pose, part.overhangs.mesh)
    return Neighbour(part.part.name, obstacle, part.part.pose.build_offset)


def _finding(fault: Fault, carrier: SupportState, part: Part) -> Finding:
    return Finding(
        fault.code, fault.severity, part.name, fault.message, cause=fault.cause, at_mm=fault.at_mm, value=fault.value,
        limit=fault.limit, unit=fault.unit, part_id=part.id, support_id=carrier.support.id,
        cures=tuple(_cure(remedy, carrier, part) for remedy in fault.remedies),
    )  # fmt: skip


def _cure(remedy: Remedy, carrier: SupportState, part: Part) -> Cure:
    if remedy.value is not None:
        return Cure(remedy.words, SetValue(carrier.support.id, *remedy.value))
    if remedy.lift_to is not None:
        return Cure(remedy.words, SetOffset(part.id, remedy.lift_to))
    if remedy.moves_missed is not None:
        return Cure(remedy.words, MoveMissed(carrier.support.id, remedy.moves_missed))
    return Cure(remedy.words, about="supports")
