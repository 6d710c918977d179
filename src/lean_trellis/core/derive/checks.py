"""Nodes of findings: one for each check and part, so that an edit runs again only what can change."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from dataclasses import replace
from typing import Any

from lean_trellis.core.checks.finding import Finding
from lean_trellis.core.checks.holding import held_shares
from lean_trellis.core.checks.registry import CHECKS, Check, Scope, in_order
from lean_trellis.core.checks.state import BuildState, PartState, SupportState
from lean_trellis.core.derive.key import token
from lean_trellis.core.derive.neighbours import Neighbours
from lean_trellis.core.derive.node import Need, Node, Reader
from lean_trellis.core.derive.parts import FILLINGS, HEALTH, ISLANDS, OVERHANGS, TOPOLOGY, TREE
from lean_trellis.core.derive.supports import STRUCTURE
from lean_trellis.core.job.job import Job
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Stack
from lean_trellis.core.supports.common.support import Support


def _none(reader: Reader[None]) -> None:
    """What merely stands for its subject among needs has no result."""


_JOB = ("job.machine", "job.material", "job.layer_height", "job.surface", "job.fitting")
_IDENTITY: Node[None] = Node("identity", "part", _none, is_kept=False)
"""Stands for a part itself among needs: which parts a state is of, in the order of the job."""
_SUPPORT: Node[None] = Node("support itself", "support", _none, is_kept=False)
_STACK: Node[None] = Node("stack itself", "stack", _none, is_kept=False)


def _seen(part: Part, scope: Scope, job: Job, near: Neighbours) -> tuple[list[Part], list[Support], list[Stack]]:
    """The parts, supports and stacks that belong to a scope, each in the order of the job.

    Whatever part a support or a stack of it is for is there too, so that all names can be found.
    """
    wanted = {part.id}
    if scope == "near":
        wanted |= {other.id for other in near.of_part(part)}
    if scope == "cluster":
        wanted |= {other.id for other in near.cluster_of(part)}
    stacks = [stack for stack in job.stacks if wanted & set(stack.parts)]
    if scope == "stack":
        wanted |= {part_id for stack in stacks for part_id in stack.parts}
    supports = [support for support in job.supports if wanted & set(support.parts)]
    there = wanted | {part_id for support in supports for part_id in support.parts}
    there |= {part_id for stack in stacks for part_id in stack.parts}
    return [other for other in job.parts if other.id in there], supports, stacks


def _state_needs(parts: Iterable[Part], supports: Iterable[Support], stacks: Iterable[Stack]) -> tuple[Need, ...]:
    needs: list[Need] = []
    for part in parts:
        needs += [(_IDENTITY, part), (OVERHANGS, part), (ISLANDS, part)]
        needs += [(TOPOLOGY, part.mesh), (HEALTH, part.mesh), (TREE, part.mesh)]
    for support in supports:
        needs += [(_SUPPORT, support), (STRUCTURE, support)]
    for stack in stacks:
        needs += [(_STACK, stack)] + [(FILLINGS, stack)] * (stack.filling is not None)
    return tuple(needs)


def _told_apart(parts: Iterable[Part], supports: Iterable[Support], stacks: Iterable[Stack]) -> Hashable:
    """What checks may read of parts, supports and stacks themselves; see `_bare`."""
    return (
        tuple(token(_bare(part)) for part in parts),
        tuple(token(support) for support in supports),
        tuple(token(stack) for stack in stacks),
    )


def _bare(part: Part) -> Part:
    """A part as checks see it: what they may read, and nothing else."""
    return Part(part.id, part.name, part.mesh, part.pose, critical_angle=part.critical_angle,
                watch_angle=part.watch_angle, marks=part.marks)  # fmt: skip


def state_of(reader: Reader[Any], looked_at: frozenset[str] | None) -> BuildState:
    """The state that was declared by `_state_needs`, of bare parts on a job without anything else."""
    job, bare = reader.job, [_bare(part) for part in reader.subjects(_IDENTITY)]
    nodes: tuple[Node[Any], ...] = (TOPOLOGY, HEALTH, TREE, OVERHANGS, ISLANDS)
    columns = [reader.each(node, 0.08 * number, 0.08 * (number + 1)) for number, node in enumerate(nodes)]
    parts = tuple(PartState(part, *row) for part, *row in zip(bare, *columns, strict=True))
    supports = tuple(reader.subjects(_SUPPORT))
    held = zip(supports, reader.each(STRUCTURE, 0.4, 0.9), strict=True)
    filled = zip(reader.subjects(FILLINGS), reader.each(FILLINGS, 0.9, 1.0), strict=True)
    small = Job("", job.machine, job.material, job.layer_height, tuple(bare), supports,
                tuple(reader.subjects(_STACK)), "", job.surface, job.fitting)  # fmt: skip
    return BuildState(
        small, parts, tuple(SupportState(support, made) for support, made in held), reader.watch,
        fillings=tuple(filled), looked_at=looked_at,
    )  # fmt: skip


def _needs_of(check: Check) -> Callable[[Part, Job, Neighbours], tuple[Need, ...]]:
    return lambda part, job, near: _state_needs(*_seen(part, check.scope, job, near))


def _token_of(check: Check) -> Callable[[Part, Job, Neighbours], Hashable]:
    return lambda part, job, near: (part.id, _told_apart(*_seen(part, check.scope, job, near)))


def _made_by(check: Check) -> Callable[[Reader[tuple[Finding, ...]]], tuple[Finding, ...]]:
    def make(reader: Reader[tuple[Finding, ...]]) -> tuple[Finding, ...]:
        part_id = reader.token[0]
        reader.watch.at(0.0, f"checking {check.title}")
        return tuple(check.run(state_of(reader, frozenset({part_id}))))

    return make


CHECK_NODES: tuple[Node[tuple[Finding, ...]], ...] = tuple(
    Node(f"check: {check.title}", "part", _made_by(check), _JOB, _needs_of(check), _token_of(check)) for check in CHECKS
)


def _all_checks(subject: None, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return tuple(
        (node, part)
        for check, node in zip(CHECKS, CHECK_NODES, strict=True)
        for part in (job.parts[:1] if check.scope == "first" else job.parts)
    )


def _findings(reader: Reader[tuple[Finding, ...]]) -> tuple[Finding, ...]:
    """All findings on a job, in the order of the checks, then the worst first."""
    step = 1 / len(CHECK_NODES)
    found = [
        finding
        for number, node in enumerate(CHECK_NODES)
        for some in reader.each(node, number * step, (number + 1) * step)
        for finding in some
    ]
    return in_order(found)


FINDINGS: Node[tuple[Finding, ...]] = Node("findings", "job", _findings, (), _all_checks)


def _whole_needs(subject: None, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return _state_needs(job.parts, job.supports, job.stacks)


def _whole(reader: Reader[BuildState]) -> BuildState:
    return state_of(reader, None)


def _whole_token(subject: None, job: Job, near: Neighbours) -> Hashable:
    return _told_apart(job.parts, job.supports, job.stacks)


STATE: Node[BuildState] = Node("state", "job", _whole, _JOB, _whole_needs, _whole_token, is_kept=False)


def _stack_needs(part: Part, job: Job, near: Neighbours) -> tuple[Need, ...]:
    return _state_needs(*_seen(part, "stack", job, near))


def _stack_token(part: Part, job: Job, near: Neighbours) -> Hashable:
    return part.id, _told_apart(*_seen(part, "stack", job, near))


def _held(reader: Reader[Any]) -> Any:
    state = replace(state_of(reader, frozenset({reader.token[0]})), watch=reader.watch)
    return held_shares(state, state.subjects[0])


HELD_SHARES: Node[Any] = Node("held shares", "part", _held, _JOB, _stack_needs, _stack_token)
