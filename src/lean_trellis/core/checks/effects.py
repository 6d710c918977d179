"""What a change brings to the supports of a build, in sums and in words: elements, volume, utilisation, time."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from lean_trellis.core.checks.finding import Deriving
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.durations import more_in_words
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch

MOST_PARTS = 6
"""Of a change that concerns more parts it is not worked out what it brings: nobody waits for that long."""
_LEAST_MM3, _LEAST_USED = 5.0, 0.005


@dataclass(frozen=True)
class SupportSums:
    """Of some supports: elements, volume mm³, contact area mm², the most used of its strength, seconds to build."""

    count: int
    volume: float
    contact: float
    used: float
    seconds: float


def sums_of(
    job: Job,
    ids: Sequence[str],
    deriving: Deriving,
    watch: Watch = UNWATCHED,
    *,
    with_parts: Sequence[str] = (),
    timed: Collection[str] | None = None,
) -> SupportSums:
    """The sums of supports by their ids; the time counts some parts as well, and of the supports only those `timed`."""
    chosen = [job.support(support_id) for support_id in ids]
    made = [deriving.structure(support, job, watch) for support in chosen]
    part_ids, used = tuple(dict.fromkeys(support.part_id for support in chosen)), 0.0
    within = ids if timed is None else timed
    seconds = deriving.seconds(part_ids, job, watch, with_parts=with_parts, within=within)
    for part_id in part_ids:
        figures = deriving.figures(part_id, job, watch)
        used = max([used, *(float(figures[one].used.max(initial=0.0)) for one in ids if one in figures)])
    volume = sum(deriving.built_volume(support, job, watch) for support in chosen)
    contact = sum(one.contact_area_mm2 for one in made)
    return SupportSums(sum(one.counted.number for one in made), volume, contact, used, seconds)


def concerned(job: Job, then: Job) -> tuple[str, ...]:
    """The ids of the parts that a change from a job to another one concerns: they differ, or their supports do."""
    differ = _differing(job, then)
    return tuple(
        part.id for part in then.parts
        if part.id in differ or job.supports_of(part.id) != then.supports_of(part.id)
    )  # fmt: skip


def _differing(job: Job, then: Job) -> tuple[str, ...]:
    """The ids of the parts that are others themselves, or built otherwise."""
    is_alike = (job.layer_height, job.mode) == (then.layer_height, then.mode)
    before = {part.id: part for part in job.parts}
    return tuple(part.id for part in then.parts if not is_alike or before.get(part.id) is not part)


def brought(job: Job, then: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> str:
    """What a change from a job to another one brings, in words; nothing where it concerns no part, or many.

    Raises `TrellisError` where something of it cannot be built.
    """
    parts = concerned(job, then)
    if not parts or len(parts) > MOST_PARTS or {part.id for part in job.parts} != {part.id for part in then.parts}:
        return ""
    own = [[support for part_id in parts for support in state.supports_of(part_id)] for state in (job, then)]
    first, second = Stretch(watch, 0.0, 0.5), Stretch(watch, 0.5, 1.0)
    made = {one.id: deriving.structure(one, job, first) for one in own[0]}
    after = {one.id: deriving.structure(one, then, second) for one in own[1]}
    is_built_alike = not _differing(job, then)
    same = {name for name, one in after.items() if is_built_alike and made.get(name) is one}
    sums = [
        sums_of(state, tuple(there), deriving, stretch, with_parts=_differing(job, then), timed=there.keys() - same)
        for state, there, stretch in ((job, made, first), (then, after, second))
    ]
    return in_words(*sums)


def in_words(now: SupportSums, then: SupportSums) -> str:
    """How sums differ.

    >>> in_words(SupportSums(10, 400.0, 3.0, 0.5, 60.0), SupportSums(12, 520.0, 4.0, 0.42, 200.0))
    '+2 elements, +0.12 cm³, utilisation 0.50 to 0.42, 2 min longer'
    >>> in_words(SupportSums(10, 400.0, 3.0, 0.5, 60.0), SupportSums(10, 400.0, 3.0, 0.5, 60.0))
    'supports as before, time as before'
    """
    more, volume = then.count - now.count, then.volume - now.volume
    words = [f"{more:+,d} element{'s' * (abs(more) != 1)}"] if more else []
    words += [f"{volume / 1000:+.2f} cm³"] if abs(volume) >= _LEAST_MM3 else []
    if abs(then.used - now.used) >= _LEAST_USED:
        words += [f"utilisation {then.used:.2f}" if not now.count else f"utilisation {now.used:.2f} to {then.used:.2f}"]
    return ", ".join([*(words or ["supports as before"]), more_in_words(then.seconds - now.seconds)])
