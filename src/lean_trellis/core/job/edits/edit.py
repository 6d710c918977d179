"""What an edit is: a job, and in words what was done to get there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.job import Job


@dataclass(frozen=True)
class Edit:
    """What was done, in words, and the job that came out."""

    title: str
    job: Job


def require_finite(subject: str, *numbers: float) -> None:
    """Raise `EditError` unless all are numbers."""
    if not all(np.isfinite(number) for number in numbers):
        raise EditError(subject, "this is no number", "type one, for example 12.5")
