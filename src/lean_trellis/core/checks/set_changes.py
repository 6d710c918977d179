"""`set_changed`: the shop has saved a later version of a set than supports were made with.

Not a check of the build, which holds all values that it is made with: it compares the build with what the shop has now.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace

from lean_trellis.core.checks.changes import TakeSet
from lean_trellis.core.checks.effects import sums_of
from lean_trellis.core.checks.finding import Cure, Deriving, Finding
from lean_trellis.core.job.edits.updates import supports_behind
from lean_trellis.core.job.job import Job
from lean_trellis.core.layers.durations import more_in_words
from lean_trellis.core.progress import UNWATCHED, Stretch, Watch
from lean_trellis.core.sets.parameter_set import ParameterSet

CODE = "set_changed"
_MOST_NAMED = 4


def set_changes(job: Job, sets: Mapping[str, ParameterSet]) -> tuple[Finding, ...]:
    """A note for each set of the job that has a later version among `sets`; none in a released job."""
    return () if job.is_released else tuple(_set_changes(job, sets))


def _set_changes(job: Job, sets: Mapping[str, ParameterSet]) -> Iterator[Finding]:
    for name in dict.fromkeys(support.set_name for support in job.supports):
        there = sets.get(name)
        behind = () if there is None else supports_behind(job, there)
        if there is None or not behind:
            continue
        oldest, support = min(used.version for _, used in behind), behind[0][0]
        values = behind[0][1].parameters.differences(there.parameters)
        labels = [f"{there.parameters.declared_as(key).label.lower()} {_said(old)} to {_said(new)}"
                  for key, (old, new) in values.items()]  # fmt: skip
        more = f" and {len(labels) - _MOST_NAMED} more" if len(labels) > _MOST_NAMED else ""
        which = "1 support has" if len(behind) == 1 else f"{len(behind)} supports have"
        yield Finding(
            CODE, "note", job.part(support.part_id).name,
            f"{there.title} has version {there.version}: {which} version {oldest}",
            cause=f"the set was changed: {', '.join(labels[:_MOST_NAMED])}{more}" if labels
            else "the set was saved again with the same values",
            value=oldest, limit=there.version, part_id=support.part_id, support_id=support.id,
            cures=(Cure(f"Take version {there.version} of {there.title}", TakeSet(there)),),
        )  # fmt: skip


def _said(value: object) -> str:
    return f"{value:g}" if isinstance(value, float) else "nothing" if value is None else str(value)


def tried_set(finding: Finding, job: Job, deriving: Deriving, watch: Watch = UNWATCHED) -> tuple[Cure, ...]:
    """The cure of such a finding with what it would change in numbers."""
    (cure,) = finding.cures
    assert isinstance(cure.change, TakeSet)
    ids = [support.id for support, _ in supports_behind(job, cure.change.there)]
    now = sums_of(job, ids, deriving, Stretch(watch, 0.0, 0.5))
    then = sums_of(cure.change.edit(job, deriving).job, ids, deriving, Stretch(watch, 0.5, 1.0))
    words = (
        f"{cure.words}: {now.count:,} to {then.count:,} elements, volume {now.volume / 1000:.2f} to "
        f"{then.volume / 1000:.2f} cm³, contact {now.contact:.1f} to {then.contact:.1f} mm², "
        f"utilisation {now.used:.2f} to {then.used:.2f}, {more_in_words(then.seconds - now.seconds)}"
    )
    return (replace(cure, words=words),)
