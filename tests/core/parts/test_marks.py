"""Marks on parts: regions by hand, protection, taking back; through turns, sizes, mirrors, files and revisions."""

from __future__ import annotations

import numpy as np
import pytest
from checked_parts import job_of

from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.mesh.primitives import box
from lean_trellis.core.parts.marks import KEEP_OFF


def test_marks_refuse_what_cannot_be(metal):
    job = job_of(metal, box((10, 10, 10)))
    nothing = np.zeros(0, np.int64)
    for act in (
        lambda: edits.region_by_hand(job, "part-1", nothing),
        lambda: edits.take_from_regions(job, "part-1", nothing),
        lambda: edits.protect_faces(job, "part-1", np.array([99]), KEEP_OFF),
        lambda: edits.merge_regions(job, "part-1", [np.array([1])]),
        lambda: edits.leave_out(job, "part-1", np.zeros(3)),
    ):
        with pytest.raises(EditError):
            act()
