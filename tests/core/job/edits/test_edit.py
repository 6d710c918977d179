"""What every edit keeps to."""

from __future__ import annotations

import pytest

from lean_trellis.core.errors import EditError
from lean_trellis.core.job import edits
from lean_trellis.core.job.edits.edit import named, require_finite, require_free


def test_what_is_no_number_is_refused():
    require_finite("x", 1.0, -2.0)
    for number in (float("nan"), float("inf")):
        with pytest.raises(EditError, match="this is no number"):
            require_finite("x", 1.0, number)


def test_locked_parts_are_named(trio):
    job = edits.flag_parts(trio, ["part-2"], is_locked=True).job
    require_free(job, ("part-1", "part-3"))
    with pytest.raises(EditError, match="ball"):
        require_free(job, ("part-1", "part-2"))
    assert (named(job, ("part-1",)), named(job, ["part-1", "part-2"])) == ("slab", "2 parts")
