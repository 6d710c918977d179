"""What an edit is: a job, and in words what was done to get there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.job import Job
from lean_trellis.core.job.stacking import upheld


@dataclass(frozen=True)
class Edit:
    """What was done, in words, and the job that came out, with what always holds put right."""

    title: str
    job: Job

    def __post_init__(self) -> None:
        object.__setattr__(self, "job", upheld(self.job))


def require_finite(subject: str, *numbers: float) -> None:
    """Raise `EditError` unless all are numbers."""
    if not all(np.isfinite(number) for number in numbers):
        raise EditError(subject, "this is no number", "type one, for example 12.5")


def require_free(job: Job, part_ids: tuple[str, ...]) -> None:
    """Raise `EditError` when one of the parts is locked."""
    for part_id in part_ids:
        if job.part(part_id).is_locked:
            raise EditError(job.part(part_id).name, "is locked in place", "unlock it first, at Parts")


def named(job: Job, part_ids: tuple[str, ...] | list[str]) -> str:
    """One part's name, or how many there are."""
    return job.part(part_ids[0]).name if len(part_ids) == 1 else f"{len(part_ids)} parts"
