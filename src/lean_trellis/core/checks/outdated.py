"""`out_of_date`: trials whose figures are those of parts that have another shape by now."""

from __future__ import annotations

from collections.abc import Iterator

from lean_trellis.core.checks.changes import DropTrial
from lean_trellis.core.checks.finding import Cure, Finding
from lean_trellis.core.checks.state import BuildState
from lean_trellis.core.job.job import Job

Outdated = tuple[tuple[str, str, int], ...]
"""Of each trial that is out of date its name, the first part with another shape, and how many have one."""


def outdated_trials(job: Job) -> Outdated:
    """The trials of a job that hold another shape of a part, or a part that is gone."""
    shapes = {part.id: part.mesh.key for part in job.parts}
    outdated = []
    for trial in job.trials:
        other = [part.name for part in trial.job.parts if shapes.get(part.id) != part.mesh.key]
        if other:
            outdated.append((trial.name, other[0], len(other)))
    return tuple(outdated)


def check_outdated(state: BuildState) -> Iterator[Finding]:
    """Once for the build: a note for each trial that compares what is no longer there."""
    for trial, part, count in state.outdated:
        others = f" and {count - 1} more" if count > 1 else ""
        yield Finding(
            "out_of_date", "note", part, f"trial '{trial}' was kept of another shape of {part}{others}",
            cause="its figures cannot be compared with those of the build as it is now",
            cures=(Cure(f"Drop trial '{trial}'", DropTrial(trial)),), part_id=state.parts[0].part.id,
        )  # fmt: skip
