"""Edits of trials: keep a state under a name, take one up again, drop one."""

from __future__ import annotations

from dataclasses import replace

from lean_trellis.core.errors import EditError
from lean_trellis.core.job.edits.edit import Edit
from lean_trellis.core.job.job import Job, Trial


def keep_trial(job: Job, name: str, state: Job | None = None) -> Edit:
    """Keep the job as it is, or another state of it, under a name; one of that name is replaced, in its place."""
    name = name.strip()
    if not name:
        raise EditError("trial", "has no name", "give one, for example 'closer bars'")
    kept = Trial(name, replace(job if state is None else state, name=job.name, trials=()))
    others = {trial.name for trial in job.trials}
    trials = tuple(kept if trial.name == name else trial for trial in job.trials)
    return Edit(f"Keep trial {name}", replace(job, trials=trials if name in others else (*trials, kept)))


def take_trial(job: Job, name: str) -> Edit:
    """Go on with the state that was kept under a name; all trials stay. Raises `UnknownNameError`."""
    return Edit(f"Take trial {name}", replace(job.trial(name).job, name=job.name, trials=job.trials))


def drop_trial(job: Job, name: str) -> Edit:
    """Forget a trial. Raises `UnknownNameError`."""
    gone = job.trial(name)
    return Edit(f"Drop trial {name}", replace(job, trials=tuple(trial for trial in job.trials if trial is not gone)))
