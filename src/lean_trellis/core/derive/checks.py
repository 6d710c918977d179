"""Nodes of findings: one for each check and part, so that an edit runs again only what can change."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import replace
from typing import Any

from lean_trellis.core.arrays import Floats
from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.checks.footholds import footholds_of
from lean_trellis.core.checks.holding import farthest_unsupported, supported_shares
from lean_trellis.core.checks.outdated import outdated_trials
from lean_trellis.core.checks.registry import CHECKS, Check, Scope, in_order
from lean_trellis.core.checks.state import (
    BuildState,
    Foothold,
    PartHollows,
    PartState,
    PartStrength,
    Supply,
    SupportState,
)
from lean_trellis.core.checks.supply import needed_grams
from lean_trellis.core.derive.layers import ESTIMATE, LAYER_FAULTS
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import CONSTANTS, Need, Node, Reader
from lean_trellis.core.derive.parts import (
    AIR_CELLS,
    FILLINGS,
    HEALTH,
    HOLLOWS,
    ISLANDS,
    MAIN_AXIS,
    OVERHANGS,
    PIECES,
    TOPOLOGY,
    TREE,
)
from lean_trellis.core.derive.statics import FIGURES, STATICS
from lean_trellis.core.derive.supports import STRUCTURE
from lean_trellis.core.job.job import Job
from lean_trellis.core.mesh.mesh import Mesh
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Stack

_JOB = (*CONSTANTS, "job.fitting", "job.lot")


def _bare(part: Part) -> Part:
    """A part as checks see it: what they may read, and nothing else."""
    return Part(part.id, part.name, part.mesh, part.pose, critical_angle=part.critical_angle,
                watch_angle=part.watch_angle, marks=part.marks, thickens=part.thickens, lot=part.lot,
                load=part.load)  # fmt: skip


_BARE_FIELDS = ("id", "name", "mesh", "pose", "critical_angle", "watch_angle", "marks", "thickens", "lot", "load")
_BARE = tuple(f"part.{name}" for name in _BARE_FIELDS)


def _of_part(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    mesh = part.mesh
    return (
        (TOPOLOGY, mesh),
        (HEALTH, mesh),
        (TREE, mesh),
        (OVERHANGS, part),
        (PIECES, part),
        (ISLANDS, part),
        (MAIN_AXIS, mesh),
    )


def _part_state(reader: Reader[PartState]) -> PartState:
    return PartState(
        _bare(reader.subject), reader.one(TOPOLOGY, 0, 0.1), reader.one(HEALTH, 0.1, 0.2), reader.one(TREE),
        reader.one(OVERHANGS, 0.2, 0.6), reader.one(PIECES, 0.6, 0.8), reader.one(ISLANDS, 0.8, 1),
        reader.one(MAIN_AXIS),
    )  # fmt: skip


PART_STATE: Node[PartState] = Node("part state", "part", _part_state, _BARE, _of_part, is_kept=False, is_local=True)


def _support_state(reader: Reader[SupportState]) -> SupportState:
    return SupportState(reader.subject, reader.one(STRUCTURE))


SUPPORT_STATE: Node[SupportState] = Node(
    "support state",
    "support",
    _support_state,
    ("support.",),
    lambda support, job, near: ((STRUCTURE, support),),
    is_kept=False,
)


def _stack_state(reader: Reader[Any]) -> tuple[Stack, tuple[Mesh, ...] | None]:
    filled = reader.each(FILLINGS)
    return reader.subject, filled[0] if filled else None


STACK_STATE: Node[tuple[Stack, tuple[Mesh, ...] | None]] = Node(
    "stack state",
    "stack",
    _stack_state,
    ("stack.",),
    lambda stack, job, near: ((FILLINGS, stack),) * (stack.filling is not None),
    is_kept=False,
)


def _scope_needs(wanted: set[str], job: Job, *, takes_stacks: bool) -> tuple[Need, ...]:
    """The states of the wanted parts, their supports and stacks, each in the order of the job.

    Whatever part a support or a stack of them is for is there too, so that all names can be found.
    """
    stacks = [stack for stack in job.stacks if not wanted.isdisjoint(stack.parts)]
    if takes_stacks:
        wanted = wanted | {part_id for stack in stacks for part_id in stack.parts}
    supports = [support for support in job.supports if not wanted.isdisjoint(support.parts)]
    there = wanted | {part_id for support in supports for part_id in support.parts}
    there |= {part_id for stack in stacks for part_id in stack.parts}
    return (
        *((PART_STATE, part) for part in job.parts if part.id in there),
        *((SUPPORT_STATE, support) for support in supports),
        *((STACK_STATE, stack) for stack in stacks),
    )


def _state(reader: Reader[BuildState]) -> BuildState:
    """What the needs give, as a build of bare parts on a job without anything else."""
    job = reader.job
    parts, supports = reader.each(PART_STATE, 0, 0.5), reader.each(SUPPORT_STATE, 0.5, 0.9)
    stacks = reader.each(STACK_STATE, 0.9, 1.0)
    small = Job("", job.machine, job.material, job.layer_height, tuple(state.part for state in parts),
                tuple(state.support for state in supports), tuple(stack for stack, _ in stacks), job.lot, job.surface,
                job.fitting, mode=job.mode)  # fmt: skip
    fillings = tuple((stack, filled) for stack, filled in stacks if filled is not None)
    return BuildState(small, tuple(parts), tuple(supports), fillings=fillings)


def _alone(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return _scope_needs({part.id}, job, takes_stacks=False)


def _near(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return _scope_needs({other.id for other in near.of_part(part)}, job, takes_stacks=False)


def _cluster(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return _scope_needs({other.id for other in near.cluster_of(part)}, job, takes_stacks=False)


def _stack(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return _scope_needs({part.id}, job, takes_stacks=True)


def _whole(subject: None, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return _scope_needs({part.id for part in job.parts}, job, takes_stacks=True)


_CLUSTER: Node[BuildState] = Node("state of cluster", "part", _state, _JOB, _cluster, is_kept=False)


def _footholds(reader: Reader[Mapping[str, Foothold]]) -> Mapping[str, Foothold]:
    state = reader.one(_CLUSTER, 0.0, 0.6)
    reader.watch.at(0.6, "checking that everything stands")
    return footholds_of(state)


FOOTHOLDS: Node[Mapping[str, Foothold]] = Node(
    "footholds", "part", _footholds, (), lambda part, job, near: ((_CLUSTER, part),)
)
"""What the parts of a cluster stand on; made for the first of them alone."""
_ALONE: Node[BuildState] = Node("state alone", "part", _state, _JOB, _alone, is_kept=False)
SCOPES: dict[Scope, Node[BuildState]] = {
    "alone": _ALONE,
    "first": _ALONE,
    "near": Node("state near", "part", _state, _JOB, _near, is_kept=False),
    "stack": Node("state of stack", "part", _state, _JOB, _stack, is_kept=False),
}


def _state_with(
    title: str,
    nodes: tuple[Node[Any], ...],
    more: Callable[[Reader[BuildState]], dict[str, Any]],
    token: Callable[[Part, Job, Neighbours], Hashable] = lambda part, job, near: None,
) -> Node[BuildState]:
    """A part alone with `more` of the state's fields, made of results about the part or of the `token`."""
    return Node(
        title, "part", lambda reader: replace(reader.one(_ALONE, 0.0, 0.3), **more(reader)), ("part.id",),
        lambda part, job, near: ((_ALONE, part), *((node, part) for node in nodes)), token, is_kept=False,
    )  # fmt: skip


def _strengths(reader: Reader[BuildState]) -> dict[str, Any]:
    strength = PartStrength(reader.one(STATICS, 0.3, 0.9), reader.one(FIGURES, 0.9, 1.0))
    return {"strengths": {reader.subject.id: strength}}


def _hollows(reader: Reader[BuildState]) -> dict[str, Any]:
    hollows = PartHollows(reader.one(AIR_CELLS, 0.3, 0.6), reader.one(HOLLOWS, 0.6, 1.0))
    return {"hollows": {reader.subject.id: hollows}}


def _layer_faults(reader: Reader[BuildState]) -> dict[str, Any]:
    return {"layer_faults": {reader.subject.id: reader.one(LAYER_FAULTS, 0.3, 1.0)}}


def _outdated(reader: Reader[BuildState]) -> dict[str, Any]:
    return {"outdated": reader.token}


SCOPES |= {
    "loads": _state_with("state with loads", (STATICS, FIGURES), _strengths),
    "hollows": _state_with("state with hollows", (AIR_CELLS, HOLLOWS), _hollows),
    "layers": _state_with("state with layers", (LAYER_FAULTS,), _layer_faults),
    "trials": _state_with("state with trials", (), _outdated, lambda part, job, near: outdated_trials(job)),
}


def _supply_needs(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return (_ALONE, part), *(((SUPPLY, None),) * (job.loaded_grams is not None))


def _with_supply(reader: Reader[BuildState]) -> BuildState:
    made = reader.each(SUPPLY, 0.0, 0.9)
    return replace(reader.one(_ALONE, 0.9, 1.0), supply=made[0] if made else None)


def _supply(reader: Reader[Supply]) -> Supply:
    job = reader.job
    needed, how = needed_grams(reader.one(ESTIMATE), job)
    return Supply(needed, job.loaded_grams or 0.0, how)


SUPPLY: Node[Supply] = Node(
    "supply", "job", _supply, (*CONSTANTS, "job.first_layer", "job.loaded_grams", "job.stacks"),
    lambda subject, job, near: ((ESTIMATE, None),),
)  # fmt: skip
SCOPES |= {
    "standing": Node(
        "state with footholds", "part",
        lambda reader: replace(reader.one(_ALONE, 0.9, 1.0), footholds=reader.one(FOOTHOLDS, 0.0, 0.9)), ("part.id",),
        lambda part, job, near: ((_ALONE, part), (FOOTHOLDS, near.cluster_of(part)[0])), is_kept=False,
    ),
    "supply": Node("state with supply", "part", _with_supply, ("part.id", "job.loaded_grams"), _supply_needs,
                   is_kept=False)
}  # fmt: skip
_ONCE: tuple[Scope, ...] = ("first", "trials", "supply")
"""The scopes of checks that are made for the first part alone."""
STATE: Node[BuildState] = Node("state", "job", _state, _JOB, _whole, is_kept=False)


def _scope_of(check: Check) -> Callable[[Part, Job, Neighbours], tuple[Need, ...]]:
    node = SCOPES[check.scope]
    return lambda part, job, near: ((node, part),)


def _made_by(check: Check) -> Callable[[Reader[tuple[Finding, ...]]], tuple[Finding, ...]]:
    node = SCOPES[check.scope]

    def make(reader: Reader[tuple[Finding, ...]]) -> tuple[Finding, ...]:
        state = reader.one(node, 0.0, 0.8)
        reader.watch.at(0.8, f"checking {check.title}")
        looked_at = frozenset({reader.subject.id})
        return tuple(check.run(replace(state, looked_at=looked_at, watch=reader.stretch(0.8, 1.0))))

    return make


CHECK_NODES: tuple[Node[tuple[Finding, ...]], ...] = tuple(
    Node(f"check: {check.title}", "part", _made_by(check), ("part.id",), _scope_of(check)) for check in CHECKS
)


def _all_checks(subject: None, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return tuple(
        (node, part)
        for check, node in zip(CHECKS, CHECK_NODES, strict=True)
        for part in (job.parts[:1] if check.scope in _ONCE else job.parts)
    )


def _findings(reader: Reader[tuple[Finding, ...]]) -> tuple[Finding, ...]:
    """All findings on a job, in the order of the checks, then the worst first."""
    step = 1 / len(CHECK_NODES)
    findings = [
        finding
        for number, node in enumerate(CHECK_NODES)
        for some in reader.each(node, number * step, (number + 1) * step)
        for finding in some
    ]
    return in_order(findings)


FINDINGS: Node[tuple[Finding, ...]] = Node(
    "findings",
    "job",
    _findings,
    ("job.loaded_grams", "job.first_layer", "job.support_every"),
    _all_checks,
    lambda subject, job, near: outdated_trials(job),
    follows_from=lambda subject, job, near: ((STATE, None),),
)


def _supported_shares(reader: Reader[Floats]) -> Floats:
    state = reader.one(SCOPES["stack"], 0.0, 0.7)
    state = replace(state, looked_at=frozenset({reader.subject.id}), watch=reader.stretch(0.7, 1.0))
    return supported_shares(state, state.subjects[0])


HELD_SHARES: Node[Floats] = Node(
    "held shares", "part", _supported_shares, ("part.id",), lambda part, job, near: ((SCOPES["stack"], part),)
)


def _farthest(reader: Reader[float]) -> float:
    state = reader.one(SCOPES["stack"], 0.0, 0.7)
    state = replace(state, looked_at=frozenset({reader.subject.id}), watch=reader.stretch(0.7, 1.0))
    return farthest_unsupported(state, state.subjects[0])


FARTHEST_UNSUPPORTED: Node[float] = Node(
    "farthest unsupported", "part", _farthest, ("part.id",), lambda part, job, near: ((SCOPES["stack"], part),)
)
