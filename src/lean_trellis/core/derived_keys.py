"""By what derived results are told apart: for each, the named inputs that it follows from."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable

from pydantic import BaseModel

from lean_trellis.core.job.job import Job
from lean_trellis.core.parts.part import Part
from lean_trellis.core.parts.stacking import Separator, Spacer, Stack
from lean_trellis.core.supports.bar_parameters import BarParameters
from lean_trellis.core.supports.bars import hold_values
from lean_trellis.core.supports.panel_parameters import PanelParameters
from lean_trellis.core.supports.support import Support

_MOST_TEXTS = 32


def overhangs_key(part: Part, job: Job) -> Hashable:
    """What the regions of a part follow from."""
    return (
        part.mesh.key,
        part.pose,
        job.critical_angle(part),
        job.watch_angle(part),
        job.machine.layer_normal,
        part.marks.hand,
        part.marks.taken_back,
        job.bridging,
    )


def islands_key(part: Part, job: Job) -> Hashable:
    """What the islands of a part follow from."""
    return (part.mesh.key, part.pose, job.layer_height, job.machine.layer_normal)


def structure_key(support: Support, job: Job) -> Hashable:
    """What a support's structures follow from: the own part, and those that could stand in their way."""
    part = job.part(support.part_id)
    near = frozenset((other.mesh.key, other.pose, other.marks.protected) for other in obstacle_parts(part, job))
    ground = _text_of(job.machine)
    own = (type(support.parameters), support.parameters, support.target, support.hand, job.layer_height)
    body = None if support.body is None else support.body.key
    return (overhangs_key(part, job), own, near, ground, _text_of(job.material), body, _standing_key(support, job))


def _standing_key(support: Support, job: Job) -> Hashable:
    """For a raft: what stands on it. For walls that make room: what for."""
    if isinstance(support.parameters, PanelParameters) and support.parameters.trim == "bars":
        return tuple(structure_key(other, job) for other in bar_supports(support.part_id, job))
    if support.family != "raft":
        return None
    parts = tuple((job.part(part_id).mesh.key, job.part(part_id).pose) for part_id in support.parts)
    return parts, tuple(structure_key(other, job) for other in standing_on(support, job))


def standing_on(raft: Support, job: Job) -> tuple[Support, ...]:
    """The supports that stand on a raft with its parts: all of these but rafts."""
    return tuple(other for other in job.supports if other.part_id in raft.parts and other.family != "raft")


def holds_key(support: Support, job: Job) -> Hashable:
    """What the hold points of a support follow from: fewer of its values than its bars do."""
    part = job.part(support.part_id)
    values = hold_values(support.bar_parameters, is_protected=part.marks.protected is not None)
    return (overhangs_key(part, job), part.marks.protected, support.target, support.hand, values)


def bar_supports(part_id: str, job: Job) -> tuple[Support, ...]:
    """The supports of a part that are bars."""
    return tuple(support for support in job.supports_of(part_id) if isinstance(support.parameters, BarParameters))


def figures_key(part_id: str, job: Job) -> Hashable:
    """What the figures of a part's bars follow from."""
    supports = tuple((support.id, structure_key(support, job)) for support in bar_supports(part_id, job))
    return (part_id, supports, _text_of(job.material), job.surface)


def fillings_key(stack: Stack, job: Job) -> Hashable:
    """What the solids in a stack's gaps follow from."""
    parts = tuple((job.part(part_id).mesh.key, job.part(part_id).pose) for part_id in stack.parts)
    return (parts, filling_key(stack), job.layer_height)


def filling_key(stack: Stack) -> Hashable:
    """What fills a stack's gaps, told apart."""
    match stack.filling:
        case Separator(material, inset, layers):
            return (material.id, inset, layers)
        case Spacer(_, mesh):
            return mesh.key
    return None


def findings_key(job: Job) -> Hashable:
    """What the findings follow from."""
    parts = tuple((part.id, part.name, overhangs_key(part, job), part.marks.protected) for part in job.parts)
    supports = tuple((support.id, support.part_id, structure_key(support, job)) for support in job.supports)
    stacks = tuple((stack.id, stack.parts, stack.gap_mm(job.layer_height), filling_key(stack)) for stack in job.stacks)
    return (parts, supports, stacks, _text_of(job.machine), _text_of(job.material), job.layer_height, job.surface,
            job.fitting)  # fmt: skip


_TEXTS: OrderedDict[int, tuple[BaseModel, str]] = OrderedDict()


def _text_of(thing: BaseModel) -> str:
    """A frozen machine or material as text, written once: keys are asked for with every change of the job."""
    known = _TEXTS.get(id(thing))
    if known is None or known[0] is not thing:
        known = _TEXTS[id(thing)] = (thing, thing.model_dump_json())
        while len(_TEXTS) > _MOST_TEXTS:
            _TEXTS.popitem(last=False)
    return known[1]


def obstacle_parts(part: Part, job: Job) -> tuple[Part, ...]:
    """The part and all others near it in plan: bars lean out by no more than the ladder of `supports.lean` goes."""
    box = part.bounds()
    reach = 30.0
    found = [part]
    for other in job.parts:
        if other.id == part.id:
            continue
        theirs = other.bounds()
        apart = (theirs[0, :2] > box[1, :2] + reach).any() or (theirs[1, :2] < box[0, :2] - reach).any()
        if not apart:
            found.append(other)
    return tuple(found)
