"""The job as a value, its edits, its history, and job files."""

from lean_trellis.core.job.edits import Edit
from lean_trellis.core.job.history import History
from lean_trellis.core.job.job import Job, new_job

__all__ = ["Edit", "History", "Job", "new_job"]
