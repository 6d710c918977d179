"""What cures would bring: supports are made anew with each; of load findings the same is measured again."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

from lean_trellis.core.checks.changes import SetValue, TurnBy
from lean_trellis.core.checks.effects import brought
from lean_trellis.core.checks.finding import Change, Cure, Deriving, Finding
from lean_trellis.core.checks.set_changes import CODE as SET_CHANGED
from lean_trellis.core.checks.set_changes import tried_set
from lean_trellis.core.errors import Cancelled, TrellisError
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.durations import more_in_words
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.supports.bars.facts.figures import BarFigures
from lean_trellis.core.supports.common.spec import spec_of

MEASURED_AGAIN = frozenset({"held_too_little", "plate_hold_low", "too_flexible", "warp", "bar_slender", "tips_over"})
"""Findings of which it can be measured anew what another job would bring."""
_AIM = 0.75
_ENOUGH = 0.8
_TURNS = (("x", 30.0), ("x", -30.0), ("y", 30.0), ("y", -30.0))
_MOST_TURNS, _MOST_STEP = 3, 3.0
_SAME = 1e-3
_BETTER = 0.1
"""A cure has to bring the measured value down by this share, or below its limit."""


@dataclass(frozen=True)
class _Effect:
    """Of a part: the measured value over its limit, how many contacts hold it, and the volume of its supports, mm³."""

    ratio: float
    contacts: int
    volume: float


def tried_cures(finding: Finding, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> tuple[Cure, ...]:
    """The cures of a finding, each with what it would bring; values are moved on until they are enough, if they can be.

    Where the finding is measured anew, those that cannot be built, and those that would make it worse, are left out;
    of others it is said what they change, or why they cannot be done.
    """
    if finding.code == SET_CHANGED:
        return tried_set(finding, job, deriving, watch)
    if finding.code not in MEASURED_AGAIN or not finding.limit:
        return tuple(_with_effects(finding.cures, job, deriving, watch))
    now = _effect(finding, job, deriving, watch)
    changes = [cure for cure in finding.cures if cure.change is not None]
    steps = len(changes) + (len(_TURNS) if _may_turn(finding, job) else 0)
    cures: list[Cure] = []
    for number, cure in enumerate(changes):
        stretch = Stretch(watch, number / max(steps, 1), (number + 1) / max(steps, 1))
        stretch.at(0.0, f"trying: {cure.plain}")
        cures += _tried(cure, finding, job, deriving, now, stretch)
    if _may_turn(finding, job):
        cures += _turned(finding, job, deriving, now, Stretch(watch, len(changes) / steps, 1.0))
    return (*cures, *(cure for cure in finding.cures if cure.change is None))


def _with_effects(cures: Sequence[Cure], job: Job, deriving: Deriving, watch: Watch) -> Iterator[Cure]:
    """Cures with what they change, or with why they cannot be done."""
    for number, cure in enumerate(cures):
        if cure.change is None:
            yield cure
            continue
        stretch = Stretch(watch, number / len(cures), (number + 1) / len(cures))
        stretch.at(0.0, f"trying: {cure.plain}")
        try:
            words = brought(job, cure.change.edit(job, deriving, stretch).job, deriving, stretch)
        except Cancelled:
            raise
        except TrellisError as problem:
            words = problem.what
        yield replace(cure, words=f"{cure.plain}: {words}") if words else cure


def _tried(cure: Cure, finding: Finding, job: Job, deriving: Deriving, now: _Effect, watch: Watch) -> Iterator[Cure]:
    """A cure with what it brings; its value, if it has one, moved on until that is enough."""
    assert cure.change is not None
    change, words = cure.change, cure.plain
    try:
        then = _effect(finding, change.edit(job, deriving, watch).job, deriving, watch)
        if isinstance(change, SetValue) and isinstance(change.value, float):
            old = job.support(change.support_id).parameters.model_dump()[change.key]
            change, then = _moved_on(change, float(old), finding, job, deriving, (now, then), watch)
            words = words.replace(f"{cure.change.value:g}", f"{change.value:g}")  # type: ignore[attr-defined]
    except Cancelled:
        raise
    except TrellisError:
        return
    if _helps(now, then):
        longer = _longer(change, finding, job, deriving, watch)
        yield replace(cure, words=f"{words}: {_in_words(finding, now, then)}, {longer}", change=change)


def _moved_on(
    change: SetValue,
    old: float,
    finding: Finding,
    job: Job,
    deriving: Deriving,
    known: tuple[_Effect, _Effect],
    watch: Watch,
) -> tuple[SetValue, _Effect]:
    """A value moved on by the power with which the measured value follows it, until that is low enough."""
    now, then = known
    known_as = job.support(change.support_id).parameters.declared_as(change.key)
    least, most = known_as.least or 0.0, known_as.most or math.inf
    for _ in range(_MOST_TURNS):
        if then.ratio <= _ENOUGH or then.ratio >= now.ratio or old <= 0 or change.value == old:
            break
        power = math.log(then.ratio / now.ratio) / math.log(change.value / old)
        step = (_AIM / then.ratio) ** (1 / power) if abs(power) > _SAME else 1.0
        wanted = round(min(max(change.value * min(max(step, 1 / _MOST_STEP), _MOST_STEP), least), most), 2)
        if wanted == change.value:
            break
        further = replace(change, value=wanted)
        change, then = further, _effect(finding, further.edit(job, deriving, watch).job, deriving, watch)
    return change, then


def _may_turn(finding: Finding, job: Job) -> bool:
    """Whether another pose keeps what its supports are for: those of chosen regions would lose them."""
    supports = [support for support in job.supports if support.part_id == finding.part_id]
    return bool(supports) and all(support.target is None for support in supports)


def _turned(finding: Finding, job: Job, deriving: Deriving, now: _Effect, watch: Watch) -> Iterator[Cure]:
    """The best of a few turns, where one is better."""
    tried = []
    for number, (axis, angle) in enumerate(_TURNS):
        watch.at(number / len(_TURNS), f"trying: turn by {angle:g}° about {axis}")
        change = TurnBy(finding.part_id, axis, angle)
        try:
            then = _effect(finding, change.edit(job, deriving, watch).job, deriving, watch)
        except Cancelled:
            raise
        except TrellisError:
            continue
        tried.append((then.ratio, number, change, then))
    if tried:
        _, _, change, then = min(tried, key=lambda one: one[:2])
        if _helps(now, then):
            words = f"Turn by {change.angle_deg:g}° about {change.axis}: {_in_words(finding, now, then)}"
            yield Cure(f"{words}, {_longer(change, finding, job, deriving, watch)}", change)


def _helps(now: _Effect, then: _Effect) -> bool:
    return then.ratio <= now.ratio * (1 - _BETTER) or then.ratio <= _ENOUGH < now.ratio


def _in_words(finding: Finding, now: _Effect, then: _Effect) -> str:
    assert finding.limit
    if finding.code == "tips_over":
        measured = f"{finding.limit / max(then.ratio, 1e-9):.2f} x"
    else:
        value = then.ratio * finding.limit
        measured = f"{value:.3f} mm" if finding.unit == "mm" else f"{value:.0f}" if value >= 10 else f"{value:.2f} x"
    more, volume = then.contacts - now.contacts, (then.volume - now.volume) / 1000
    counted = f"{more:+,d} contacts" if more else "contacts as before"
    return f"{measured}, {counted}, {volume:+.2f} cm³"


def _longer(change: Change, finding: Finding, job: Job, deriving: Deriving, watch: Watch) -> str:
    """How much longer the build takes after a change; the part's own time counts where it is turned."""
    is_turned = isinstance(change, TurnBy)
    changed = change.edit(job, deriving, watch).job
    with_parts = (finding.part_id,) if is_turned else ()
    now, then = (deriving.seconds((finding.part_id,), one, watch, with_parts=with_parts) for one in (job, changed))
    return more_in_words(then - now)


def _effect(finding: Finding, job: Job, deriving: Deriving, watch: Watch) -> _Effect:
    """What is measured of the finding's part in a job."""
    own = job.supports_of(finding.part_id)
    figures = deriving.figures(finding.part_id, job, watch)
    contacts = sum(len(one.used) for one in figures.values())
    volume = sum(deriving.built_volume(support, job, watch) for support in own)
    return _Effect(_ratio(finding, job, deriving, figures, watch), contacts, volume)


def _ratio(finding: Finding, job: Job, deriving: Deriving, figures: dict[str, Any], watch: Watch) -> float:
    """The measured value over its limit; of a reserve the other way round."""
    assert finding.limit
    statics = deriving.statics(finding.part_id, job, watch).statics
    match finding.code:
        case "plate_hold_low":
            feet = [float(one.feet_used.max(initial=0.0)) for one in figures.values()]
            has_raft = any(spec_of(one).is_ground for one in job.supports if finding.part_id in one.parts)
            return max([statics.plate.value, *([] if has_raft else feet)])
        case "too_flexible":
            return statics.deflection.value / finding.limit
        case "warp":
            return statics.warp.value
        case "tips_over":
            return statics.tipping.value * finding.limit
        case "bar_slender":
            return (
                max((float(one.slenderness.max(initial=0.0)) for one in figures.values()), default=0.0) / finding.limit
            )
    braces = [float(one.brace_used.max(initial=0.0)) for one in figures.values() if isinstance(one, BarFigures)]
    return max([*(float(one.used.max(initial=0.0)) for one in figures.values()), *braces], default=0.0)
