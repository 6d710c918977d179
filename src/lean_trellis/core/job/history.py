"""Undo and redo as a list of jobs."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lean_trellis.core.job.edits import Edit
from lean_trellis.core.job.job import Job

MOST_STEPS = 500


@dataclass(frozen=True)
class _Step:
    title: str
    job: Job
    merge_key: str = ""


class History:
    """The jobs so far and where we stand among them. Meshes are shared, so a step costs little."""

    def __init__(self, job: Job) -> None:
        self._steps = [_Step("", job)]
        self._at = 0

    @property
    def job(self) -> Job:
        """The job as it is now."""
        return self._steps[self._at].job

    @property
    def undo_title(self) -> str:
        """What undo would take back; empty when there is nothing."""
        return self._steps[self._at].title if self._at else ""

    @property
    def redo_title(self) -> str:
        """What redo would do again; empty when there is nothing."""
        return self._steps[self._at + 1].title if self._at + 1 < len(self._steps) else ""

    def do(self, edit: Edit, *, merge_key: str = "") -> Job:
        """Take an edit as one step. Successive edits with the same `merge_key` (one drag) are one step."""
        del self._steps[self._at + 1 :]
        step = _Step(edit.title, edit.job, merge_key)
        if merge_key and self._at and self._steps[self._at].merge_key == merge_key:
            self._steps[self._at] = step
        else:
            self._steps.append(step)
            del self._steps[: max(0, len(self._steps) - MOST_STEPS)]
            self._at = len(self._steps) - 1
        return self.job

    def rename(self, name: str, job: Job) -> Job:
        """Give every step another name, since a job's name is no edit; return what `job` has become."""
        renamed = replace(job, name=name)
        self._steps = [
            replace(step, job=renamed if step.job is job else replace(step.job, name=name)) for step in self._steps
        ]
        return renamed

    def undo(self) -> Job:
        """One step back; stays where it is at the beginning."""
        self._at = max(0, self._at - 1)
        return self.job

    def redo(self) -> Job:
        """One step forward; stays where it is at the end."""
        self._at = min(len(self._steps) - 1, self._at + 1)
        return self.job
