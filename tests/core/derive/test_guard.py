"""Reads that were not declared."""

from __future__ import annotations

import pytest

from full_job import full_job
from lean_trellis.core.derive.guard import UndeclaredReadError, guarded


def test_an_undeclared_read_raises_also_through_a_method_or_a_property():
    job = full_job()
    part = guarded(job.parts[0], "some node", ["pose", "marks.hand"])
    assert part.pose is job.parts[0].pose
    assert part.marks.hand is job.parts[0].marks.hand
    for read in (lambda: part.name, lambda: part.marks.protected, lambda: part.placed, part.bounds):
        with pytest.raises(UndeclaredReadError, match="some node"):
            read()
